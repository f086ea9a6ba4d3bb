package operation

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"slices"
	"strconv"
	"time"

	"glassjar/core/apply"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
)

// History is the states that a jar has been in.
type History struct {
	Jar string
	// States are they, the oldest first; the last is the present one.
	States []State
}

// State is a [jar.Moment], with what it holds as installed.
type State struct {
	Number    int
	At        time.Time
	Command   string
	Did       []string
	Python    string
	Parts     project.Parts
	Installed []jar.MomentPackage
	Spec      *string
	Record    *string
}

// History lists the states of a jar.
func (m *Machine) History(ctx context.Context, ref string) (*History, error) {
	return steady(ctx, m, ref, func() (*History, error) { return m.history(ref) })
}

func (m *Machine) history(ref string) (*History, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	out := &History{Jar: at.Root, States: []State{}}
	states, err := j.Moments()
	for _, s := range states {
		out.States = append(out.States, State{s.Number, s.At, s.Command, s.Did, s.Python, s.Parts, s.Packages, s.Spec, s.Record})
	}
	return out, err
}

// now is the time; tests set it.
func (m *Machine) now() time.Time {
	if m.Clock != nil {
		return m.Clock()
	}
	return time.Now()
}

// firstMoment is the state that begins the history of an empty jar, as its file.
func (m *Machine) firstMoment(python string, at place.Place) ([]byte, error) {
	return jar.Moment{Number: 1, At: m.now(), Command: m.Command, Python: python, Spec: apply.TextOf(nil, at.SpecFile), Record: apply.TextOf(nil, at.RecordFile)}.Bytes()
}

// Rewind brings a jar back to an earlier state, with its spec and record; 0 is
// the state before the present one. It is a change like others, so that it can
// be taken back too.
func (m *Machine) Rewind(ctx context.Context, ref string, number int, decide Decide) (*Outcome, error) {
	at, err := m.Places().Locate(ref, true)
	if err != nil {
		return nil, err
	}
	release, err := m.hold(ctx, at)
	if err != nil {
		return nil, err
	}
	defer release()
	p, installed, err := m.newPlan(ctx, at)
	if err != nil {
		return nil, err
	}
	states, err := p.jar.Moments()
	if err != nil {
		return nil, err
	}
	to, err := pickMoment(states, number)
	if err != nil {
		return nil, err
	}
	return m.toMoment(ctx, p, installed, to, decide)
}

func pickMoment(states []jar.Moment, number int) (jar.Moment, error) {
	if number == 0 {
		if len(states) < 2 {
			return jar.Moment{}, usage(NoEarlierState)
		}
		return states[len(states)-2], nil
	}
	at := slices.IndexFunc(states, func(s jar.Moment) bool { return s.Number == number })
	if at < 0 {
		return jar.Moment{}, usage(NoState, strconv.Itoa(number))
	}
	return states[at], nil
}

// toMoment makes the jar, the spec and the record what they were. What was put
// into the jar by other means stays.
func (m *Machine) toMoment(ctx context.Context, p *job, installed []jar.Installed, to jar.Moment, decide Decide) (*Outcome, error) {
	spec, err := readSpec(p.place)
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	p.catalog, p.parts = m.newCatalog(indexes), to.Parts
	m.withSources(p, spec, nil, nil)
	if p.choices, err = apply.Choices(to); err != nil {
		return nil, err
	}
	origins := p.jar.Origins()
	survey, err := p.jar.QuickSurvey(installed)
	if err != nil {
		return nil, err
	}
	survey.Unknown = nil // what belongs to nothing is not this command's business
	p.compare(installed, func(d jar.Installed) bool { return origins[d.Key()] == "" }, &survey,
		plan.Aim{Free: true, Why: fmt.Sprintf("it is not in state %d", to.Number)}) // going back is what was asked for
	last, _, err := p.jar.LastMoment()
	if err != nil {
		return nil, err
	}
	if err := p.writeAsIn(to, last, spec); err != nil {
		return nil, err
	}
	out, err := m.carryOut(ctx, p, decide)
	if err == nil && out.Done && p.byHand {
		m.note(HandChanges, strconv.Itoa(last.Number), strconv.Itoa(last.Number+1))
	}
	return out, err
}

// writeAsIn has the spec and the record written as they were in a state; last is the newest one. What
// somebody changed since is kept, and the jar sees of its base what the two say.
func (p *job) writeAsIn(to, last jar.Moment, spec *project.Spec) error {
	was, then := bytesOf(last.Spec), bytesOf(to.Spec)
	text, err := project.Back(spec.File, spec.Text, was, then)
	if err != nil {
		return err
	}
	for file, text := range map[string][]byte{p.place.SpecFile: text, p.place.RecordFile: bytesOf(to.Record)} {
		if _, err := os.Stat(file); err == nil || text != nil {
			p.write[file] = text
		}
	}
	replaced := !bytes.Equal(spec.Text, was) && bytes.Equal(text, then)
	p.byHand = replaced || !project.AskAlike(spec.Text, was) || !bytes.Equal(bytesOf(apply.TextOf(nil, p.place.RecordFile)), bytesOf(last.Record))
	after, err := project.ParseSpec(spec.File, text)
	if err != nil {
		return err
	}
	if record, err := project.ParseRecord(p.place.RecordFile, bytesOf(to.Record)); err == nil { // there may be none
		p.seeSystem = after.SeeSystem(record.SeeSystem)
	}
	if p.seeSystem == p.jar.State.SeeSystem {
		return nil
	}
	return p.rebase(p.place)
}

// bytesOf is a text of a state; nil for none.
func bytesOf(text *string) []byte {
	if text == nil {
		return nil
	}
	return []byte(*text)
}

// clonedMoment is the state of a jar as the first of another.
func (m *Machine) clonedMoment(j *jar.Jar, from place.Place, spec, record []byte) (jar.Moment, error) {
	s, _, err := j.LastMoment()
	s.Number, s.At, s.Command = 1, m.now(), m.Command
	s.Did = []string{"as " + from.Prompt()}
	s.Spec, s.Record = nil, nil
	if spec != nil {
		text := string(spec)
		s.Spec = &text
	}
	if record != nil {
		text := string(record)
		s.Record = &text
	}
	return s, err
}
