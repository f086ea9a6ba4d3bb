package operation

import (
	"context"
	"errors"
	"slices"

	"glassjar/core/building"
	"glassjar/core/fetch"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// solveAll solves the roots for every target of the spec and for the jar of a job.
func (m *Machine) solveAll(ctx context.Context, p *job, spec *project.Spec, roots []project.Asked, problem resolve.Problem) (*plan.Solutions, error) {
	if err := m.addDirect(ctx, p, roots); err != nil {
		return nil, err
	}
	p.seeSystem = spec.SeeSystem(p.seeSystem)
	base, err := ofBase(p.python, p.seeSystem)
	if err != nil {
		return nil, err
	}
	record, _ := p.recorded() // there may be none
	ask := plan.Ask{Roots: roots, All: len(spec.Tool.Targets) > 0, Own: p.own(), Environment: p.environment(), Problem: problem, Record: record, Floor: p.floor, Base: map[string]version.Version{}}
	for name, b := range base {
		ask.Base[name] = b.Version
	}
	provider(ctx, p.catalog, base, ask.Environment, problem.Keep).Foresee(m.solver(ctx, p.catalog, base).Needs(ask.Environment, roots))
	if err := m.checkNames(ctx, p.catalog, roots, ask.Environment, base, p.SampleOnly); err != nil {
		return nil, err
	}
	if ask.Targets, err = target.All(spec.Tool.Targets, spec.RequiresPython); err != nil {
		return nil, err
	}
	var u *plan.Solutions
	err = p.withConsent(ctx, func() (err error) {
		s := m.solver(ctx, p.catalog, base)
		s.Chosen = p.chosen
		u, err = s.SolveAll(ctx, ask)
		return err
	})
	return u, p.explained(ctx, err)
}

// explained is an error with what else there is to know where no versions fit together.
func (p *job) explained(ctx context.Context, err error) error {
	var failure *plan.SolveError
	if errors.As(err, &failure) {
		failure.Unasked, failure.Until = p.catalog.Unasked(ctx, failure.Failure), p.catalog.Indexes.Until
	}
	return err
}

// withConsent solves, and again as long as what stands against it is source that somebody who is
// asked then says may be built.
func (p *job) withConsent(ctx context.Context, solve func() error) error {
	err := solve()
	for names := building.SourceOnly(err); len(names) > 0 && p.building != nil; names = building.SourceOnly(err) {
		if more, asked := p.building.Allow(ctx, names, err); asked != nil || !more {
			return asked
		}
		err = solve()
	}
	return err
}

// refused reports whether an index answered that something is not to be had: what only
// another system needs stops nothing here.
func refused(err error) bool {
	var status *fetch.StatusError
	return errors.As(err, &status) && status.Code >= 400 && status.Code < 500
}

// recordText is the record that serves every target.
func (m *Machine) recordText(ctx context.Context, p *job, spec *project.Spec, roots []project.Asked, u *plan.Solutions) ([]byte, error) {
	r := &project.Record{File: p.place.RecordFile, CreatedBy: project.Creator, RequiresPython: spec.RequiresPython, Environments: target.Environments(u.Served),
		Extras: spec.Extras, Groups: spec.Groups, Asked: project.Asks(sortedAsked(roots)), SeeSystem: p.seeSystem, Left: u.LeftOut()}
	var err error
	if r.Packages, err = u.Entries(func(name string, v version.Version) (project.Package, error) {
		return m.recordEntry(ctx, p, name, v, u)
	}); err != nil {
		return nil, err
	}
	if err := m.addPublishers(ctx, p, r); err != nil {
		return nil, err
	}
	have, err := p.recorded()
	if err != nil {
		have = nil // there is none, or it is written anew
	} else {
		r.Built = stillBuilt(have.Built, r.Packages)
		if slices.Equal(have.Asked, r.Asked) && slices.Equal(leftTargets(have.Left), leftTargets(r.Left)) {
			r.Left = have.Left // of several reasons another may have been come upon
		}
		keepNeedsOf(have.Packages, r.Packages)
	}
	if err := m.pinPythons(ctx, p, spec, r, have); err != nil {
		return nil, err
	}
	p.record = r
	return r.Format(), nil
}

// leftTargets are all targets that are left out, sorted.
func leftTargets(list []project.LeftOut) (out []string) {
	for _, l := range list {
		out = append(out, l.Targets...)
	}
	slices.Sort(out)
	return out
}

// keepNeedsOf leaves a record as it is where only another wheel of the same release was read, and
// said the same.
func keepNeedsOf(old, packages []project.Package) {
	for i := range packages {
		e := &packages[i]
		for _, was := range old {
			if was.NeedsOf != "" && e.NeedsOf != project.EveryWheel && was.Name == e.Name && was.Version.Equal(e.Version) && slices.EqualFunc(was.Dependencies, e.Dependencies, func(a, b project.Dependency) bool {
				return a.Name == b.Name && a.Version.Equal(b.Version)
			}) {
				e.NeedsOf = was.NeedsOf
			}
		}
	}
}

// stillBuilt are those of the tables of what was built whose distribution is recorded still.
func stillBuilt(old []project.Built, packages []project.Package) []project.Built {
	var out []project.Built
	for _, one := range old {
		for _, e := range packages {
			if e.Name == requirement.Normalize(one.Name) && (e.Version.IsZero() || one.Version == e.Version.String()) {
				out = append(out, one)
				break
			}
		}
	}
	return out
}
