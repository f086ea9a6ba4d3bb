package operation

import (
	"context"
	"strings"
	"time"

	"glassjar/core/apply"
	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/signature"
	"glassjar/core/start"
)

// Outcome is what a command did.
type Outcome struct {
	Plan *plan.Plan
	// Done is false where the plan was only to be shown, or was declined.
	Done bool
	// Fetched counts the bytes that were transferred; Files those put in place.
	Fetched int64
	Files   int
	Took    time.Duration
	// Signed tells who signed the record that was followed, where somebody had to.
	Signed *signature.Signed
	// Answer, if set, is what lets the same command say at once what this one says, if whoever
	// shows the outcome keeps it: see [Machine.KeepAnswer].
	Answer *start.Answer
	// Wrote are the files outside the jar that were written, Removed those that were taken away.
	Wrote, Removed []string
	Warnings       []string
}

// Decide looks at a plan and says whether to go on.
type Decide func(*plan.Plan) (bool, error)

// carryOut does what a plan says, if decide says so.
func (m *Machine) carryOut(ctx context.Context, p *job, decide Decide) (*Outcome, error) {
	defer p.end()
	if ok, err := decide(p.Plan); err != nil || !ok {
		return newOutcome(p.Plan), err
	}
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return newOutcome(p.Plan), err
	}
	defer release()
	return m.apply(ctx, p)
}

func newOutcome(p *plan.Plan) *Outcome {
	return &Outcome{Plan: p, Wrote: []string{}, Removed: []string{}, Warnings: []string{}}
}

// apply does what a plan says. The store is held.
func (m *Machine) apply(ctx context.Context, p *job) (*Outcome, error) {
	out := newOutcome(p.Plan)
	start := time.Now()
	if err := m.buildSources(ctx, p); err != nil {
		return out, err
	}
	noted, err := m.changeLooks(p)
	if err != nil {
		return out, err
	}
	applier := apply.Applier{Store: m.Store, Placing: m.Settings.Placing, Report: m.Report, Command: m.Command, Now: m.now, Compiling: m.bytecodeWay()}
	done, err := applier.Do(ctx, apply.Work{Plan: p.Plan, Steps: p.steps, Place: p.place, Jar: p.jar, New: p.instead, Outside: m.outside(p.place), Python: p.python, Catalog: p.catalog, Begun: p.begun,
		Removed: p.removed, Own: p.structure, Write: p.write, Parts: p.parts, ByHand: p.byHand, Commit: func(ctx context.Context) error { return m.commit(ctx, p) }})
	out.Fetched, out.Files = done.Fetched, done.Files
	out.Wrote, out.Removed, out.Warnings = done.Wrote, done.Removed, done.Warnings
	if done.Took > 0 {
		out.Took = time.Since(start)
	}
	if err == nil {
		err = noted()
	}
	if bad := spoiled(p.place.Root, err); bad != nil {
		err = bad
	}
	if err != nil {
		return out, err
	}
	if err := m.dropStaleSignature(p.place); err != nil {
		return out, err
	}
	if p.once {
		out.Done = true
		return out, nil
	}
	m.later = m.later || done.Uncompiled
	m.afterwards(p.place.Root)
	out.Done = true
	return out, nil
}

// buildSources makes the wheels of what a plan installs from source, and has the record say
// what they were built with.
func (m *Machine) buildSources(ctx context.Context, p *job) error {
	if p.building == nil {
		return nil
	}
	if err := p.building.MakeWheels(ctx, &p.steps); err != nil {
		return err
	}
	for _, c := range p.steps.Install {
		if len(c.LibraryPath) > 0 {
			m.note(LibrariesElsewhere, c.Name, strings.Join(c.LibraryPath, ", "))
		}
	}
	if text := p.write[p.place.RecordFile]; p.record != nil && text != nil {
		p.record.Built = p.building.Tables(p.record.Built, p.choices)
		p.write[p.place.RecordFile] = p.record.Format()
	}
	return nil
}

// sharing is how the store is held by a command that takes from it.
func (m *Machine) sharing() lock.Mode {
	mode := m.lockMode(m.Folders.Store)
	mode.Shared = true
	return mode
}

// newPlan opens the jar of a place and looks at what is in it.
func (m *Machine) newPlan(ctx context.Context, at place.Place) (*job, []jar.Installed, error) {
	p := newJob(at)
	var err error
	if p.jar, err = m.open(at); err != nil {
		return nil, nil, err
	}
	p.seeSystem = p.jar.State.SeeSystem
	if p.python, err = m.interpreterOf(ctx, p.jar); err != nil {
		return nil, nil, err
	}
	p.Python = p.python.Title()
	installed, err := p.jar.Installed()
	return p, installed, err
}

// readSpec reads the spec of a place; for a jar without a project it may not
// be there yet.
func readSpec(at place.Place) (*project.Spec, error) { return project.ReadSpec(at.SpecFile) }
