package plan

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"glassjar/core/graph"
	"glassjar/core/index"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Ask is what is to be solved for every target, and for a jar.
type Ask struct {
	Roots   []project.Asked
	Targets []target.Target
	// All tells that every target must be served: a person named them.
	All bool
	// Own is the target that the jar's interpreter belongs to, Environment what it says
	// of itself.
	Own         target.Target
	Environment target.Environment
	// Problem has the versions that are preferred, and what is admitted; Record, if set, is the one
	// before, which may have more than one version of a name, each to be preferred where it belongs.
	// Base are the versions that the base provides.
	Problem resolve.Problem
	Record  *project.Record
	Base    map[string]version.Version
	// Floor are versions of the jar below which what was asked for is not to go there; elsewhere it
	// is not to go below what the record has.
	Floor map[string]version.Version
}

// Solutions are what was chosen for every target, and for the jar itself.
type Solutions struct {
	// Served are the targets that there is a solution for.
	Served []target.Target
	// Own is for the jar's interpreter; Choices are its files.
	Own     *resolve.Solution
	Choices []Choice

	solver Solver
	ask    Ask
	chosen map[target.Target]*resolve.Solution
	left   map[target.Target]error
	set    target.Set
	// several are the entries of names of which the record has several versions.
	several []project.Package
	// worked are the targets that were solved for, without those that nothing tells apart
	// from one of them; own answered for the jar.
	worked []solved
	own    Source
}

// solved is what came of solving for one environment.
type solved struct {
	env      target.Environment
	source   Source
	solution *resolve.Solution
	err      error
}

// SolveAll solves for every target, then for the jar's own interpreter. Each solution
// prefers what those before it chose, so that one version serves all where it can; the
// order is the same on every machine. Targets that nothing tells apart are one. Targets
// without a solution are left out, unless all must be served; that of the jar is then an
// error, a [*SolveError].
func (s Solver) SolveAll(ctx context.Context, ask Ask) (*Solutions, error) {
	keep := map[string]version.Version{}
	for name, v := range ask.Problem.Keep {
		keep[name] = v
	}
	// What the base provides is not replaced by what would come from an index.
	// A record that sees its base counts on it on every machine, and says so.
	for name, v := range ask.Base {
		keep[name] = v
	}
	ask.Problem.Keep = keep
	u := &Solutions{solver: s, ask: ask, several: several(ask.Record, ask.Problem.Keep), chosen: map[target.Target]*resolve.Solution{}, left: map[target.Target]error{}}
	ahead, err := u.ahead(ctx)
	if err != nil {
		return u, err
	}
	u.ask.Problem.Learned = &resolve.Learned{} // not of the jar: that differs between machines
	for n, t := range ask.Targets {
		s.Report.Tell(progress.Event{Stage: "solving for all targets", Done: int64(n), Total: int64(len(ask.Targets))})
		one := u.solveOne(ctx, t, ahead)
		ahead = nil // from now on more is preferred than it knew
		var failure *SolveError
		switch {
		case (errors.As(one.err, &failure) || s.Refused(one.err)) && (!ask.All || t == ask.Own):
			u.left[t] = one.err // the jar's own is told below, in its own words
			continue
		case one.err != nil:
			return nil, one.err
		}
		u.Served = append(u.Served, t)
		u.chosen[t] = one.solution
		for _, c := range one.solution.Choices {
			if _, ok := keep[c.Name]; !ok {
				keep[c.Name] = c.Version
			}
		}
	}
	return u, u.solveOwn(ctx)
}

// ahead solves for the jar alone first: where it has no solution nothing more is worked out,
// and what it chose tells what the other targets are likely to need. Their solutions, and
// the jar's, do not depend on it, since it differs between machines.
func (u *Solutions) ahead(ctx context.Context) (*solved, error) {
	problem := u.problem(u.ask.Environment, u.floorIn(u.ask.Environment))
	u.own = u.solver.Source(u.ask.Environment, problem.Keep)
	solution, err := solution(ctx, u.own, u.ask.Environment, problem)
	if err != nil {
		return nil, err
	}
	if u.solver.Chosen != nil {
		if likely, err := choices(ctx, u.own, u.ask.Environment, u.ask.Roots, solution); err == nil { // else it is told below
			u.solver.Chosen(ctx, likely)
		}
	}
	if u.solver.Ahead != nil {
		var others []target.Environment
		for _, t := range u.ask.Targets {
			others = append(others, u.set.Environment(t))
		}
		u.solver.Ahead(ctx, solution.Choices, others)
	}
	return &solved{u.ask.Environment, u.own, solution, nil}, nil
}

// solveOwn solves for the jar. What its target chose comes first.
func (u *Solutions) solveOwn(ctx context.Context) (err error) {
	ask := u.ask
	problem := u.problem(ask.Environment, u.floorIn(ask.Environment))
	problem.Learned = nil // its Python may be one that no target has
	if s, ok := u.chosen[ask.Own]; ok {
		for _, c := range s.Choices {
			problem.Keep[c.Name] = c.Version
		}
	}
	if one := u.same(ctx, ask.Environment, u.own, nil); one != nil && one.err == nil {
		u.Own = one.solution
	} else if u.Own, err = solution(ctx, u.own, ask.Environment, problem); err != nil {
		return err
	}
	if u.Choices, err = choices(ctx, u.own, ask.Environment, ask.Roots, u.Own); err != nil {
		return err
	}
	if u.chosen[ask.Own] == nil || !sameChoices(u.Own, u.chosen[ask.Own]) {
		if u.chosen[ask.Own] == nil {
			u.Served = append(u.Served, ask.Own)
		}
		u.chosen[ask.Own] = u.Own
		delete(u.left, ask.Own)
	}
	return nil
}

// same is what was found for another environment that nothing tells apart from this one, or
// nil. That of the jar counts as one more, if it is given.
func (u *Solutions) same(ctx context.Context, env target.Environment, source Source, ahead *solved) *solved {
	holds := func(e target.Environment) (out []bool) {
		for _, a := range u.ask.Roots {
			out = append(out, a.Marker.Holds(e.Markers))
		}
		for _, kept := range u.several {
			out = append(out, u.belongs(kept, e))
		}
		return out
	}
	worked := u.worked
	if ahead != nil {
		worked = append(worked, *ahead)
	}
	for i := range worked {
		if slices.Equal(holds(env), holds(worked[i].env)) && maps.EqualFunc(u.floorIn(env), u.floorIn(worked[i].env), version.Version.Equal) && source.AnswersLike(ctx, worked[i].source) {
			return &worked[i]
		}
	}
	return nil
}

// solveOne solves for a target; files are not looked for.
func (u *Solutions) solveOne(ctx context.Context, t target.Target, ahead *solved) solved {
	env := u.set.Environment(t)
	floors := u.floorIn(env)
	problem := u.problem(env, floors)
	one := solved{env: env, source: u.solver.Source(env, problem.Keep)}
	if same := u.same(ctx, env, one.source, ahead); same != nil {
		if ahead != nil {
			u.worked = append(u.worked, *same)
		}
		return *same
	}
	one.solution, one.err = resolve.Solve(ctx, one.source, problem)
	var failure *resolve.Failure
	if errors.As(one.err, &failure) && len(floors) > 0 { // served by an older version is better than not at all
		one.solution, one.err = resolve.Solve(ctx, one.source, u.problem(env, nil))
	}
	if errors.As(one.err, &failure) {
		one.err = &SolveError{Failure: failure, Environment: env.Title}
	}
	u.worked = append(u.worked, one)
	return one
}

func sameChoices(a, b *resolve.Solution) bool {
	return slices.EqualFunc(a.Choices, b.Choices, func(x, y resolve.Choice) bool { return x.Name == y.Name && x.Version.Equal(y.Version) })
}

// FileOf is a wheel of a version that serves the jar or one of the targets, for its
// metadata.
func (u *Solutions) FileOf(ctx context.Context, name string, v version.Version) (*index.File, error) {
	for _, c := range u.Choices {
		if c.Name == name && c.Version.Equal(v) && !c.Provided {
			return &c.File, nil
		}
	}
	var last error
	for _, one := range append(slices.Clone(u.worked), solved{source: u.own}) {
		if one.err != nil {
			continue
		}
		f, err := one.source.File(ctx, name, v)
		if err == nil && f != nil {
			return f, nil
		}
		last = err
	}
	return nil, last
}

// Parts narrows the jar's choices to what the parts of the spec that it holds lead to.
func (u *Solutions) Parts(holds project.Parts) []Choice {
	names, asked := map[string]bool{}, map[string]bool{}
	applies := map[string]bool{} // with the dependencies
	for p, reached := range reach(u.Own, u.ask.Roots, u.ask.Environment) {
		for name := range reached {
			names[name] = names[name] || holds.Has(p)
			applies[name] = applies[name] || holds.Has(p) || p == (project.Part{})
		}
	}
	for _, a := range u.ask.Roots {
		if holds.Has(a.Part) && a.Marker.Holds(u.ask.Environment.Markers) {
			asked[a.Key()] = true
		}
	}
	if holds.Only {
		names = u.ledTo(asked, applies)
	}
	var out []Choice
	for _, c := range u.Choices {
		if names[c.Name] {
			c.Asked = asked[c.Name]
			out = append(out, c)
		}
	}
	return out
}

// ledTo are the names that some lead to by what the record's entries need, which is not told by
// target: so that a jar without the dependencies holds what [Applying] finds in the record.
func (u *Solutions) ledTo(from, applies map[string]bool) map[string]bool {
	entries, here := u.entries(), map[string]*entry{}
	for _, c := range u.Own.Choices {
		here[c.Name] = entries[key{c.Name, c.Version.Key()}]
	}
	return graph.Below(slices.Collect(maps.Keys(from)), func(name string) (out []string) {
		if here[name] == nil {
			return nil
		}
		for need := range here[name].needs {
			if applies[need.name] {
				out = append(out, need.name)
			}
		}
		return out
	})
}

// reach are the names that each part of the spec leads to, in one solution. What an extra of a
// distribution adds belongs to the parts that ask for that extra.
func reach(s *resolve.Solution, roots []project.Asked, env target.Environment) map[project.Part]map[string]bool {
	choices := map[string]*resolve.Choice{}
	for i, c := range s.Choices {
		choices[c.Name] = &s.Choices[i]
	}
	needs := func(name, extra string) []resolve.Need {
		c := choices[name]
		switch {
		case c == nil:
			return nil
		case c.ByExtra == nil && extra == "":
			return c.Needs
		}
		return c.ByExtra[extra]
	}
	type step struct{ name, extra string }
	visited := map[project.Part]map[step]bool{}
	out := map[project.Part]map[string]bool{}
	for _, a := range roots {
		p := a.Part
		if out[p] == nil {
			out[p], visited[p] = map[string]bool{}, map[step]bool{}
		}
		if !a.Marker.Holds(env.Markers) {
			continue
		}
		var visit func(name string, extras []string)
		visit = func(name string, extras []string) {
			out[p][name] = true
			for _, extra := range append([]string{""}, extras...) {
				if visited[p][step{name, extra}] {
					continue
				}
				visited[p][step{name, extra}] = true
				for _, n := range needs(name, extra) {
					visit(n.Name, n.Extras)
				}
			}
		}
		visit(a.Key(), a.ExtraKeys())
	}
	return out
}

// LeftOut are the targets without a solution, those with the same reason together.
func (u *Solutions) LeftOut() []project.LeftOut {
	out := []project.LeftOut{}
	at := map[string]int{}
	for _, t := range u.ask.Targets {
		err, ok := u.left[t]
		if !ok {
			continue
		}
		why := whyLeft(err)
		i, seen := at[why]
		if !seen {
			i, at[why] = len(out), len(out)
			out = append(out, project.LeftOut{Why: why})
		}
		out[i].Targets = append(out[i].Targets, t.String())
	}
	for _, one := range out {
		slices.Sort(one.Targets)
	}
	return out
}

// whyLeft is the reason for which a target is left out, in a line: the same whatever the solver
// came upon first.
func whyLeft(err error) string {
	var failure *SolveError
	if !errors.As(err, &failure) {
		return err.Error()
	}
	var asked, parts []string
	for _, f := range failure.Facts {
		switch {
		case f.Unfit == resolve.Fit && len(f.Needs) > 0 && f.Name != "":
			parts = append(parts, fmt.Sprintf("%s needs %s", f.Name, f.Needs[0]))
		case f.Unfit == resolve.Fit && len(f.Needs) > 0:
			text := "asked for is " + f.Needs[0].String()
			if !offered(f) && !slices.ContainsFunc(failure.Facts, func(other resolve.Fact) bool { return other.Unfit != resolve.Fit && other.Name == f.Needs[0].Name }) {
				text += ", which is not to be had"
			}
			asked = append(asked, text)
		case f.Unfit == resolve.NoFile:
			parts = append(parts, f.Name+" has no file for it")
		case f.Unfit == resolve.SourceOnly:
			parts = append(parts, f.Name+" has source distributions only")
		case f.Unfit == resolve.Python:
			parts = append(parts, f.Name+" is for other Pythons")
		case f.Unfit == resolve.Held:
			parts = append(parts, f.Name+" is held at "+Some(f.Details))
		case f.Unfit == resolve.Yanked:
			parts = append(parts, f.Name+" was withdrawn")
		case f.Unfit == resolve.Prerelease:
			parts = append(parts, f.Name+" has pre-releases only")
		case f.Unfit == resolve.Broken:
			parts = append(parts, f.Name+" cannot be read")
		}
	}
	slices.Sort(asked)
	slices.Sort(parts)
	if parts = append(asked, parts...); len(parts) == 0 {
		return "no versions fit together"
	}
	return Some(parts)
}

// offered reports whether there is a version that a need admits.
func offered(f resolve.Fact) bool {
	return slices.ContainsFunc(f.Needs, func(n resolve.Need) bool {
		return n.URL != "" || slices.ContainsFunc(f.Offered, n.Specifiers.Holds)
	})
}

// Some joins the first few of a list of reasons.
func Some(list []string) string { return strings.Join(list[:min(3, len(list))], "; ") }
