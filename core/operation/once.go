package operation

import (
	"context"
	"errors"
	"os"
	"path/filepath"

	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// A throwaway jar holds what another does, with something else besides or for another Python, for as
// long as one command runs. It is on no list, and shares its files with the store.

// onceBase is what throwaway jars are made of.
type onceBase struct {
	spec   *project.Spec
	record *project.Record // nil where there is none
	parts  project.Parts
	// keep are versions to prefer, title is what the jars are called.
	keep  map[string]version.Version
	title string
	// base is the interpreter of the jar that there is; empty for none.
	base string
}

// OnceOptions say how a throwaway jar differs from what it is made of.
type OnceOptions struct {
	Jar string
	// Plus are further requirements (PEP 508).
	Plus []string
	// Oldest takes the oldest versions of what the spec names, Pre the newest to come.
	Oldest, Pre bool
}

// exact reports whether a record is followed as it is.
func (o OnceOptions) exact() bool { return len(o.Plus) == 0 && !o.Oldest && !o.Pre }

// onceOf is what a throwaway jar for a command is made of: what its script asks for, or the jar
// that it would be run in, with its record. alone tells that it may be made where there is neither.
func (m *Machine) onceOf(ctx context.Context, ref string, command []string, alone bool) (*onceBase, error) {
	if ref == "" && m.isScript(command[0]) {
		s, err := m.scriptAt(m.absolute(command[0]))
		if err != nil {
			return nil, err
		}
		return m.onceAt(ctx, s.place, s.spec, s.record)
	}
	at, err := m.Places().Locate(ref, true)
	var none *place.NoJarError
	if errors.As(err, &none) && ref == "" && alone {
		return &onceBase{spec: &project.Spec{File: at.SpecFile}, title: "once"}, nil
	}
	if err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if at.Exists() {
		if spec, err = m.specToChange(ctx, at, spec); err != nil {
			return nil, err
		}
	}
	_, record, err := project.ReadRecordText(at.RecordFile)
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return nil, err
	}
	if record == nil && !spec.Exists() {
		if _, err := m.open(at); err != nil {
			return nil, err
		}
		return nil, &NoSpecError{at.SpecFile}
	}
	return m.onceAt(ctx, at, spec, record)
}

func (m *Machine) onceAt(ctx context.Context, at place.Place, spec *project.Spec, record *project.Record) (*onceBase, error) {
	o := &onceBase{spec: spec, record: record, title: at.Prompt()}
	var installed []jar.Installed
	if record != nil {
		o.parts.Groups = record.DefaultGroups
	}
	if at.Exists() {
		j, err := m.openToUse(ctx, at)
		if err != nil {
			return nil, err
		}
		if installed, err = j.Installed(); err != nil {
			return nil, err
		}
		o.parts = j.State.Parts
		if o.base, err = j.Base(); err != nil {
			o.base = "" // it is gone: another will do
		}
	}
	o.keep = keepOf(record, installed, resolveOptions{})
	return o, nil
}

// makeOnce makes a throwaway jar for an interpreter. release removes it.
func (m *Machine) makeOnce(ctx context.Context, o *onceBase, in interpreter.Interpreter, opt OnceOptions) (l *onceJar, err error) {
	plus, err := m.readWants(ctx, opt.Plus, nil)
	if err != nil {
		return nil, err
	}
	root, done := m.Making.Begin(filepath.Join(m.Folders.Scripts, "once"))
	at := m.Places().At(root, place.Named)
	at.Title = o.title
	p := newJob(at)
	p.Create, p.once, p.python, p.Python, p.seeSystem, p.parts = true, true, in, in.Title(), o.spec.Tool.SeeSystem, o.parts
	release := func() {
		_ = os.RemoveAll(root) // what is left is swept
		done()
	}
	defer func() {
		if err != nil {
			release()
		}
	}()
	if err := m.planOnce(ctx, p, o, plus, opt); err != nil {
		return nil, err
	}
	if err := p.catalog.HashAll(ctx, p.choices); err != nil {
		return nil, err
	}
	p.compare(nil, nil, nil, plan.Aim{})
	if _, err := m.makeAndCarryOut(ctx, p, func(*plan.Plan) (bool, error) { return true, nil }); err != nil {
		return nil, err
	}
	j, err := jar.Open(root)
	if err != nil {
		return nil, err
	}
	return &onceJar{jar: j, choices: p.choices, release: release}, nil
}

// onceJar is a throwaway jar, and what it holds.
type onceJar struct {
	jar     *jar.Jar
	choices []plan.Choice
	release func()
}

// planOnce chooses what a throwaway jar holds: what the record says where it serves, else what
// solving for this interpreter alone gives.
func (m *Machine) planOnce(ctx context.Context, p *job, o *onceBase, plus []project.Asked, opt OnceOptions) error {
	indexes, sampleOnly := m.indexes(o.spec)
	p.catalog, p.SampleOnly = m.newCatalog(indexes), sampleOnly
	b := m.withSources(p, o.spec, resolveOptions{asked: plus}.typed(), o.record)
	env := target.EnvironmentOf(p.python)
	if err := plan.CheckPython(o.spec.RequiresPython, env); err != nil {
		return err
	}
	if o.record != nil && opt.exact() {
		var err error
		p.choices, err = plan.FromRecord(o.record, env, o.parts, b.Take(ctx))
		var other *plan.NotServedError
		if !errors.As(err, &other) {
			return err
		}
	}
	var roots []project.Asked
	for _, a := range o.spec.Asked {
		if o.parts.Has(a.Part) {
			roots = append(roots, a)
		}
	}
	problem := resolve.Problem{AllowPrereleases: opt.Pre, Keep: o.keep}
	if opt.Oldest {
		p.catalog.Oldest = map[string]bool{}
		for _, a := range roots {
			p.catalog.Oldest[a.Key()] = true
		}
	}
	if opt.Oldest || opt.Pre {
		problem.Keep = nil
	}
	var err error
	p.choices, err = m.solveOwn(ctx, p, append(plus, roots...), problem)
	return err
}

// solveOwn solves roots for the interpreter of a job alone.
func (m *Machine) solveOwn(ctx context.Context, p *job, roots []project.Asked, problem resolve.Problem) ([]plan.Choice, error) {
	if err := m.addDirect(ctx, p, roots); err != nil {
		return nil, err
	}
	base, err := ofBase(p.python, p.seeSystem)
	if err != nil {
		return nil, err
	}
	env := p.environment()
	if err := m.checkNames(ctx, p.catalog, roots, env, base, p.SampleOnly); err != nil {
		return nil, err
	}
	var choices []plan.Choice
	err = p.withConsent(ctx, func() error {
		choices, _, err = m.solver(ctx, p.catalog, base).Solve(ctx, env, roots, problem)
		return err
	})
	return choices, p.explained(ctx, err)
}

// RunPlus prepares a command in a throwaway jar that has something besides. release removes it.
func (m *Machine) RunPlus(ctx context.Context, opt OnceOptions, command []string) (l *Launch, release func(), err error) {
	o, err := m.onceOf(ctx, opt.Jar, command, len(opt.Plus) > 0)
	if err != nil {
		return nil, nil, err
	}
	var in interpreter.Interpreter
	if o.base != "" {
		in, err = m.probe(ctx, o.base)
	} else {
		in, _, _, err = m.needPython(ctx, "", o.spec)
	}
	if err != nil {
		return nil, nil, err
	}
	one, err := m.makeOnce(ctx, o, in, opt)
	if err != nil {
		return nil, nil, err
	}
	if l, err = m.launchOnce(one.jar, command); err != nil {
		one.release()
		return nil, nil, err
	}
	return l, one.release, nil
}

// launchOnce prepares a command in a throwaway jar.
func (m *Machine) launchOnce(j *jar.Jar, command []string) (*Launch, error) {
	l, err := m.launchIn(j, command)
	if err != nil {
		if err := m.cannotFind(command[0], err); err != nil {
			return nil, err
		}
		return nil, &NoCommandError{Name: command[0]}
	}
	return l, nil
}
