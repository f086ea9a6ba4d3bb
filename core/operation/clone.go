package operation

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/target"
)

// CloneOptions say what to clone to where.
type CloneOptions struct {
	// From is a jar (a path, a name on the shelf, or the script that it is of), a record, or a sealed jar.
	From string
	// To is a path, or a name for the shelf.
	To string
	// Python is a wish for another interpreter than the jar's.
	Python string
}

// Clone makes a jar with the contents of another, a record or a sealed jar,
// independent of it from then on.
func (m *Machine) Clone(ctx context.Context, opt CloneOptions, decide Decide) (*Outcome, error) {
	to, err := m.cloneTarget(opt.To)
	if err != nil {
		return nil, err
	}
	file := opt.From
	if !registry.IsRef(file) {
		file = m.absolute(file)
	}
	if registry.IsRef(file) || isFile(file) && m.ScriptNamed(file) == "" {
		release, err := m.hold(ctx, to)
		if err != nil {
			return nil, err
		}
		defer release()
		return m.recreateFrom(ctx, to, RecreateOptions{From: file, Python: opt.Python}, decide)
	}
	from, err := m.Places().Named(opt.From)
	if err != nil {
		return nil, err
	}
	// Both projects first, in the order that all processes have; then the jar.
	projects, err := m.holdProjects(ctx, from, to)
	if err != nil {
		return nil, err
	}
	defer projects()
	release, err := m.hold(ctx, from)
	if err != nil {
		return nil, err
	}
	defer release()
	j, err := m.open(from)
	if err != nil {
		return nil, err
	}
	in, same, err := m.clonePython(ctx, j, opt.Python)
	if err != nil {
		return nil, err
	}
	if !same {
		return m.cloneByRecord(ctx, from, to, opt.Python, in, decide)
	}
	return m.cloneFiles(ctx, j, from, to, in, decide)
}

// cloneTarget is the place of a jar that is not there yet.
func (m *Machine) cloneTarget(to string) (place.Place, error) {
	if !strings.ContainsAny(to, `/\`) && !strings.HasPrefix(to, ".") {
		return m.newPlace(to, "", false)
	}
	return m.newPlace("", to, false)
}

// clonePython is the interpreter of the clone; same tells that files can be
// taken as they are.
func (m *Machine) clonePython(ctx context.Context, j *jar.Jar, wish string) (interpreter.Interpreter, bool, error) {
	own, err := m.interpreterOf(ctx, j)
	if wish == "" {
		return own, err == nil, err
	}
	in, _, _, err2 := m.needPython(ctx, wish, nil)
	if err2 != nil {
		return in, false, err2
	}
	return in, err == nil && in.ABI() == own.ABI() && jar.LayoutOf(in) == j.Layout(), nil
}

// cloneFiles copies the files of a jar, and its spec and record.
func (m *Machine) cloneFiles(ctx context.Context, j *jar.Jar, from, to place.Place, in interpreter.Interpreter, decide Decide) (*Outcome, error) {
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	p := newJob(to)
	p.Create, p.Python = true, in.Title()
	for _, d := range installed {
		p.Add = append(p.Add, plan.Item{Name: d.Key(), Version: d.Version().String(), Asked: d.Requested, Here: true})
	}
	out := newOutcome(p.Plan)
	if ok, err := decide(p.Plan); err != nil || !ok {
		return out, err
	}
	start := m.now()
	texts := cloneTexts(from, to)
	moment, err := m.clonedMoment(j, from, texts[to.SpecFile], texts[to.RecordFile])
	if err != nil {
		return out, err
	}
	state, err := moment.Bytes()
	if err != nil {
		return out, err
	}
	temp, done := m.Making.Begin(to.Root)
	defer done()
	opt := jar.Options{Prompt: to.Prompt(), SeeSystem: j.State.SeeSystem, Parts: j.State.Parts, Temp: temp, Place: m.Settings.Placing, Also: map[string][]byte{jar.MomentPath(moment.Number): state}}
	// What stands in the jar appears with it; a project's files stand outside.
	opt.Outside = m.outside(to)
	for _, file := range sortedNames(texts) {
		out.Wrote = append(out.Wrote, file)
		rel, err := filepath.Rel(to.Root, file)
		switch {
		case err == nil && !strings.HasPrefix(rel, ".."):
			opt.Also[filepath.ToSlash(rel)] = texts[file]
		case file == to.SpecFile:
			opt.Spec = &jar.Text{Data: texts[file]}
		default:
			opt.Record = &jar.Text{Data: texts[file]}
		}
	}
	opt.Prepared = m.expectAt(to.Root)
	copied, err := j.Clone(ctx, to.Root, in, opt)
	if err != nil {
		return out, err
	}
	if err := m.Known.Trust(copied); err != nil {
		return out, err
	}
	out.Done, out.Took = true, m.now().Sub(start)
	return out, nil
}

// cloneTexts are the spec and the record for the new place, where it has none.
func cloneTexts(from, to place.Place) map[string][]byte {
	out := map[string][]byte{}
	for source, target := range map[string]string{from.SpecFile: to.SpecFile, from.RecordFile: to.RecordFile} {
		if data, err := os.ReadFile(source); err == nil && !fileExists(target) {
			out[target] = data
		}
	}
	return out
}

// CannotCloneError says what stands against another Python.
type CannotCloneError struct {
	Python string
	// Against are reasons, one for each distribution.
	Against []string
}

func (e *CannotCloneError) Error() string {
	return "the contents are not for " + e.Python + ": " + strings.Join(e.Against, "; ")
}

// cloneByRecord fills the clone from the record, which may have other files for
// the other Python.
func (m *Machine) cloneByRecord(ctx context.Context, from, to place.Place, wish string, in interpreter.Interpreter, decide Decide) (*Outcome, error) {
	text, record, err := project.ReadRecordText(from.RecordFile)
	env := target.EnvironmentOf(in)
	if errors.Is(err, project.ErrNoRecord) {
		return nil, &CannotCloneError{env.Title, []string{"the jar has no record that says which files another Python takes"}}
	}
	if err != nil {
		return nil, err
	}
	signed, err := m.checkSigned("", m.relative(from.RecordFile), text, func() ([][]byte, error) { return signatureOf(from.RecordFile) })
	if err != nil {
		return nil, err
	}
	against := &CannotCloneError{Python: env.Title}
	if err := plan.Served(record, env); err != nil {
		against.Against = append(against.Against, err.Error())
	} else if !record.RequiresPython.Holds(env.Python) {
		against.Against = append(against.Against, "the record is for Python "+record.RequiresPython.String())
	}
	for _, e := range record.Packages {
		if len(against.Against) == 0 || !e.RequiresPython.Holds(env.Python) {
			if _, err := plan.PickFile(record, e, env); err != nil && e.Marker.HoldsIn(env.Markers, nil, nil) {
				against.Against = append(against.Against, err.Error())
			}
		}
	}
	if len(against.Against) > 0 {
		return nil, against
	}
	spec, err := readSpec(to)
	if err != nil {
		return nil, err
	}
	opt := RecreateOptions{Python: wish, signed: signed}
	if !fileExists(to.RecordFile) && !record.NamesPaths() {
		opt.adopt = text
	}
	return m.fromRecord(ctx, to, spec, record, opt, decide)
}
