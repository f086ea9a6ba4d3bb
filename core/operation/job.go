package operation

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"glassjar/core/building"
	"glassjar/core/catalog"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
	"glassjar/core/version"
)

// job is a plan and what carrying it out needs.
type job struct {
	*plan.Plan
	steps  plan.Steps
	place  place.Place
	jar    *jar.Jar // nil where it is to be made
	python interpreter.Interpreter
	// pinned is the interpreter that the record pins, nil where it pins none.
	pinned *interpreter.Interpreter
	// target is solved for in place of the interpreter where this machine has none.
	target  *target.Target
	catalog *catalog.Catalog
	// choices are what the jar is to hold; removed is what is taken out.
	choices []plan.Choice
	removed []jar.Installed
	// write are the files outside of the jar that are to be written, nil for those that
	// are to go; parts are those of the spec that the jar is to hold.
	write map[string][]byte
	parts project.Parts
	// roots and versions are what was solved for and chosen.
	roots    []project.Asked
	versions map[string]version.Version
	// instead tells that the jar is made instead of one that stands there and is spoiled, or not
	// trusted.
	instead bool
	// building makes wheels of source, record is what is written down; nil where nothing
	// is.
	building *building.Building
	record   *project.Record
	// before, if set, is the record that the new one comes after, in place of that which stands
	// there.
	before *project.Record
	// read reads that once: nobody else writes to it meanwhile.
	read func() (*project.Record, error)
	// structure are files of the jar itself that are to be put right, seeSystem whether it is to
	// see the packages of its base.
	structure map[string]jar.OwnFile
	seeSystem bool
	// chosen, if set, is told early what the jar will likely have. begun are files that are
	// fetched already, endEarly ends that; nil where nothing is.
	chosen   func(context.Context, []plan.Choice)
	begun    *catalog.Begun
	endEarly func()
	// floor are versions below which what was asked for is not to go.
	floor map[string]version.Version
	// byHand has the spec and the record that stand there kept as a state, since somebody changed
	// them.
	byHand bool
	// once tells that the jar is thrown away after a command: it is on no list.
	once bool
}

// end ends what goes on in the background for a job.
func (p *job) end() {
	if p.endEarly != nil {
		p.endEarly()
		p.endEarly = nil
	}
}

// environment is what is solved for first: the interpreter's, or a target's.
func (p *job) environment() target.Environment {
	if p.target != nil {
		return p.target.Environment()
	}
	return target.EnvironmentOf(p.python)
}

// own is the target of that.
func (p *job) own() target.Target {
	if p.target != nil {
		return *p.target
	}
	return target.Of(p.python)
}

// recorded is the record that the job's new one comes after.
func (p *job) recorded() (*project.Record, error) {
	if p.before != nil {
		return p.before, nil
	}
	if p.read == nil {
		p.read = sync.OnceValues(func() (*project.Record, error) { return project.ReadRecord(p.place.RecordFile) })
	}
	return p.read()
}

func newJob(at place.Place) *job {
	return &job{Plan: plan.New(at.Root), place: at, write: map[string][]byte{}}
}

// compare plans what has to happen so that the jar holds what was chosen. aim says what
// else there is to know; stays which of the others stay; survey, if not nil, which files
// are not as they should be.
func (p *job) compare(installed []jar.Installed, stays func(jar.Installed) bool, survey *jar.Survey, aim plan.Aim) {
	origins := p.jar.Origins()
	for _, d := range installed {
		aim.Held = append(aim.Held, plan.Held{Name: d.Key(), Version: d.Version(), Package: origins[d.Key()], Stays: stays(d),
			Damaged: d.Damage != "" || survey != nil && !survey.Whole(d.Key())})
	}
	if survey != nil {
		aim.Drop = survey.Unknown
	}
	here := func(f index.File) bool { return p.catalog.Here(f) && !p.begun.Has(f) }
	aim.Choices, aim.Here, aim.Warnings = p.choices, here, p.catalog.Store.Warnings
	p.steps = p.Compare(aim)
	for _, d := range installed {
		if slices.Contains(p.steps.Remove, d.Key()) {
			p.removed = append(p.removed, d)
			p.tellEdited(d)
		}
	}
}

// tellEdited has the plan say which files of a distribution that goes, or is replaced by another
// version, somebody has changed.
func (p *job) tellEdited(d jar.Installed) {
	for _, list := range [][]plan.Item{p.Change, p.Remove} {
		for i := range list {
			if requirement.Normalize(list[i].Name) == d.Key() {
				list[i].Edited = p.jar.Edited(d)
			}
		}
	}
}

// origin says where a requirement was asked for.
func (m *Machine) origin(a project.Asked) string {
	if a.File == "" {
		return "this command"
	}
	file := a.File
	if root := filepath.Dir(filepath.Dir(file)); filepath.Base(filepath.Dir(file)) == "glassjar" && jar.Exists(root) {
		return filepath.Base(root) // a jar that keeps its own spec
	}
	if rel, err := filepath.Rel(m.Dir, file); err == nil && !strings.HasPrefix(rel, "..") {
		file = rel
	}
	if a.Line > 0 {
		return fmt.Sprintf("%s, line %d", file, a.Line)
	}
	return file
}

// solver asks a catalog. base is what the base of the jar provides.
func (m *Machine) solver(ctx context.Context, c *catalog.Catalog, base map[string]catalog.Present) plan.Solver {
	return plan.Solver{Origin: m.origin, Refused: refused, Report: m.Report, Ahead: c.Ahead, Source: func(env target.Environment, keep map[string]version.Version) plan.Source {
		return provider(ctx, c, base, env, keep)
	}}
}

// provider answers for one environment out of a catalogue.
func provider(ctx context.Context, c *catalog.Catalog, base map[string]catalog.Present, env target.Environment, keep map[string]version.Version) *catalog.Provider {
	return &catalog.Provider{Catalog: c, Environment: env, Context: ctx, Present: base, Keep: keep}
}

// checkNames finds all names that no index has, before any other work.
func (m *Machine) checkNames(ctx context.Context, c *catalog.Catalog, roots []project.Asked, env target.Environment, base map[string]catalog.Present, sampleOnly bool) error {
	var names []string
	for _, a := range roots {
		if _, ok := base[a.Key()]; !ok && a.Marker.Holds(env.Markers) {
			names = append(names, a.Key())
		}
	}
	return c.CheckNames(ctx, names, sampleOnly)
}
