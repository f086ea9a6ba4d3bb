package operation

import (
	"context"
	"fmt"
	"os"
	"slices"
	"sort"
	"time"

	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/version"
)

// History is the states that a jar has been in.
type History struct {
	Jar string `json:"jar"`
	// States are they, the oldest first; the last is the present one.
	States []State `json:"states"`
}

// State is a [jar.Moment], with what it holds as installed.
type State struct {
	Number    int                 `json:"number"`
	At        time.Time           `json:"at"`
	Command   string              `json:"command"`
	Did       []string            `json:"did"`
	Python    string              `json:"python"`
	Parts     project.Parts       `json:"parts"`
	Installed []jar.MomentPackage `json:"installed"`
	Spec      *string             `json:"spec"`
	Record    *string             `json:"record"`
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

// nextMoment is the state that a plan leads to.
func (m *Machine) nextMoment(p *job, origins map[string]string) (jar.Moment, error) {
	last, _, err := p.jar.LastMoment()
	if err != nil {
		return jar.Moment{}, err
	}
	number, err := p.jar.NextNumber()
	if err != nil {
		return jar.Moment{}, err
	}
	next := jar.Moment{Number: number, At: m.now(), Command: m.Command, Python: p.jar.State.Python, Parts: p.parts, Did: did(p)}
	have := map[string]jar.MomentPackage{}
	for _, e := range last.Packages {
		have[e.Name] = e
	}
	for _, d := range p.removed {
		delete(have, d.Key())
	}
	for _, c := range p.steps.Install {
		have[c.Name] = jar.MomentPackage{Name: c.Name, Version: c.Version.String(), File: c.File.Name, SHA256: origins[c.Name], Size: max(c.File.Size, 0),
			URL: c.File.URL, Index: c.File.Index, Direct: c.File.Index == "", Requested: c.Asked}
	}
	for name, asked := range p.steps.Asked {
		if e, ok := have[name]; ok {
			e.Requested = asked
			have[name] = e
		}
	}
	for _, name := range sortedNames(have) {
		next.Packages = append(next.Packages, have[name])
	}
	next.Spec, next.Record = m.textOf(p, p.place.SpecFile), m.textOf(p, p.place.RecordFile)
	return next, nil
}

// textOf is what a file will hold once the plan is carried out.
func (m *Machine) textOf(p *job, file string) *string {
	data, written := p.write[file]
	if !written {
		var err error
		if data, err = limits.ReadFile(file, limits.Own); err != nil {
			return nil
		}
	}
	if data == nil {
		return nil
	}
	text := string(data)
	return &text
}

// did says what a plan does, a word each.
func did(p *job) []string {
	var out []string
	for _, i := range p.Add {
		out = append(out, "+"+i.Name+" "+i.Version)
	}
	for _, i := range p.Change {
		out = append(out, i.Name+" "+i.From+" -> "+i.Version)
	}
	for _, i := range p.Mend {
		out = append(out, "mended "+i.Name)
	}
	for _, i := range p.Remove {
		out = append(out, "-"+i.Name+" "+i.From)
	}
	return out
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
	p := &job{place: at}
	return jar.Moment{Number: 1, At: m.now(), Command: m.Command, Python: python, Spec: m.textOf(p, at.SpecFile), Record: m.textOf(p, at.RecordFile)}.Bytes()
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
			return jar.Moment{}, usage("there is no earlier state", "glassjar history lists the states")
		}
		return states[len(states)-2], nil
	}
	at := slices.IndexFunc(states, func(s jar.Moment) bool { return s.Number == number })
	if at < 0 {
		return jar.Moment{}, usage("there is no state %d", "glassjar history lists the states", number)
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
	if p.choices, err = momentSelection(to); err != nil {
		return nil, err
	}
	origins := readOrigins(p.jar)
	survey, err := p.jar.QuickSurvey(installed)
	if err != nil {
		return nil, err
	}
	survey.Unknown = nil // what belongs to nothing is not this command's business
	p.compare(installed, func(d jar.Installed) bool { return origins[d.Key()] == "" }, &survey,
		plan.Aim{Free: true, Why: fmt.Sprintf("it is not in state %d", to.Number)}) // going back is what was asked for
	for file, text := range map[string]*string{p.place.SpecFile: to.Spec, p.place.RecordFile: to.Record} {
		if text != nil {
			p.write[file] = []byte(*text)
		} else if _, err := os.Stat(file); err == nil {
			p.write[file] = nil
		}
	}
	return m.carryOut(ctx, p, decide)
}

// momentSelection are the distributions of a state as files to be had: from the
// store, or from where they came.
func momentSelection(to jar.Moment) ([]plan.Choice, error) {
	var out []plan.Choice
	for _, e := range to.Packages {
		v, err := version.Parse(e.Version)
		if err != nil {
			return nil, &project.FileError{File: "the history", Where: e.Name, Why: err.Error()}
		}
		f := index.File{Name: e.File, Distribution: e.Name, Version: v, URL: e.URL, Size: e.Size, Index: e.Index, Hashes: map[string]string{"sha256": e.SHA256}}
		if path, ok := metadata.PathOf(e.URL); ok {
			f.Path = path
		}
		if name, err := metadata.ParseWheelName(e.File); err == nil {
			f.Wheel = &name
		}
		if e.Direct {
			f.Index = ""
		}
		out = append(out, plan.Choice{Name: e.Name, Version: v, File: f, Asked: e.Requested})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out, nil
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
