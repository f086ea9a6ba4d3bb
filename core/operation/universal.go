package operation

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// universal is what was solved for all targets and for the jar itself.
type universal struct {
	targets []target.Target
	// chosen tells for each target what is to be installed there.
	chosen map[target.Target]*resolve.Solution
	// own is for the jar's interpreter; ownSelected are its files.
	own         *resolve.Solution
	ownSelected []selection
	// left are targets that the record cannot serve, with the reason.
	left map[target.Target]error
	// order is that in which the targets were solved for; set has their environments.
	order []target.Target
	set   target.Set
}

// solveAll solves the roots for every target, then for the jar's own
// interpreter. Each solution prefers what those before it chose, so that one
// version serves all where it can; the order is the same on every machine.
func (m *Machine) solveAll(ctx context.Context, p *Plan, spec *project.Spec, roots []project.Asked, problem resolve.Problem) (*universal, error) {
	if err := m.addDirect(ctx, p.catalog, roots); err != nil {
		return nil, err
	}
	base, err := ofBase(p.python, p.seesSystem())
	if err != nil {
		return nil, err
	}
	ownEnv, own := target.EnvironmentOf(p.python), target.Of(p.python)
	if err := m.checkNames(ctx, p.catalog, roots, ownEnv, base, p.SampleOnly); err != nil {
		return nil, err
	}
	targets, err := target.All(spec.Tool.Targets, spec.RequiresPython)
	if err != nil {
		return nil, err
	}
	u := &universal{order: targets, chosen: map[target.Target]*resolve.Solution{}, left: map[target.Target]error{}}
	keep := map[string]version.Version{}
	for name, v := range problem.Keep {
		keep[name] = v
	}
	// What the base provides is not replaced by what would come from an index.
	// A record that sees its base counts on it on every machine, and says so.
	for name, b := range base {
		keep[name] = b.Version
	}
	for n, t := range targets {
		m.report(progress.Event{Stage: "solving for all targets", Done: int64(n), Total: int64(len(targets))})
		s, err := m.solveOne(ctx, p.catalog, u.set.Environment(t), roots, problem, keep, base)
		var failure *SolveError
		switch {
		case (errors.As(err, &failure) || refused(err)) && (len(spec.Tool.Targets) == 0 || t == own):
			u.left[t] = err // the jar's own is reported below, in its own words
			continue
		case err != nil:
			return nil, err
		}
		u.targets = append(u.targets, t)
		u.chosen[t] = s
		for _, c := range s.Choices {
			if _, ok := keep[c.Name]; !ok {
				keep[c.Name] = c.Version
			}
		}
	}
	// What the target of the jar chose comes first for the jar itself.
	if s, ok := u.chosen[own]; ok {
		for _, c := range s.Choices {
			keep[c.Name] = c.Version
		}
	}
	u.ownSelected, u.own, err = m.solve(ctx, p.catalog, ownEnv, roots, withKeep(problem, keep), base)
	if err != nil {
		return nil, err
	}
	if u.chosen[own] == nil || !sameChoices(u.own, u.chosen[own]) {
		if u.chosen[own] == nil {
			u.targets = append(u.targets, own)
		}
		u.chosen[own] = u.own
		delete(u.left, own)
	}
	return u, nil
}

// refused reports whether an index answered that something is not to be had: what only
// another system needs stops nothing here.
func refused(err error) bool {
	var status *fetch.StatusError
	return errors.As(err, &status) && status.Code >= 400 && status.Code < 500
}

// leftOut are the targets that the record cannot serve, those with the same reason
// together.
func (u *universal) leftOut() []project.LeftOut {
	out := []project.LeftOut{}
	at := map[string]int{}
	for _, t := range u.order {
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

// whyLeft is the reason for which a target is left out, in a line.
func whyLeft(err error) string {
	var failure *SolveError
	if !errors.As(err, &failure) {
		return err.Error()
	}
	var parts []string
	for _, f := range failure.Facts {
		switch {
		case f.Unfit == resolve.Fit && len(f.Needs) > 0 && f.Name != "":
			parts = append(parts, fmt.Sprintf("%s needs %s", f.Name, f.Needs[0]))
		case f.Unfit == resolve.Fit && len(f.Needs) > 0:
			parts = append(parts, "asked for is "+f.Needs[0].String())
		case f.Unfit == resolve.NoFile:
			parts = append(parts, f.Name+" has no file for it")
		case f.Unfit == resolve.SourceOnly:
			parts = append(parts, f.Name+" has source distributions only")
		case f.Unfit == resolve.Python:
			parts = append(parts, f.Name+" is for other Pythons")
		case f.Unfit == resolve.Broken:
			parts = append(parts, f.Name+" cannot be read")
		}
	}
	if len(parts) == 0 {
		return "no versions fit together"
	}
	return joinSome(parts)
}

func withKeep(p resolve.Problem, keep map[string]version.Version) resolve.Problem {
	p.Keep = keep
	p.Roots = nil
	return p
}

// solveOne solves for a target; files are not looked for.
func (m *Machine) solveOne(ctx context.Context, c *catalog.Catalog, env target.Environment, roots []project.Asked, problem resolve.Problem, keep map[string]version.Version, base map[string]catalog.Present) (*resolve.Solution, error) {
	problem = withKeep(problem, keep)
	for _, a := range roots {
		if a.Marker.Holds(env.Markers) {
			problem.Roots = append(problem.Roots, m.need(a))
		}
	}
	s, err := resolve.Solve(ctx, &catalog.Provider{Catalog: c, Environment: env, Context: ctx, Present: base, Keep: keep}, m.solving(problem, env))
	var failure *resolve.Failure
	if errors.As(err, &failure) {
		return nil, &SolveError{Failure: failure, Environment: env.Title}
	}
	return s, err
}

func sameChoices(a, b *resolve.Solution) bool {
	if len(a.Choices) != len(b.Choices) {
		return false
	}
	for i := range a.Choices {
		if a.Choices[i].Name != b.Choices[i].Name || !a.Choices[i].Version.Equal(b.Choices[i].Version) {
			return false
		}
	}
	return true
}

// reach are the names that each part of the spec brings in, in one solution.
func reach(s *resolve.Solution, roots []project.Asked, env target.Environment) map[project.Part]map[string]bool {
	needs := map[string][]resolve.Need{}
	for _, c := range s.Choices {
		needs[c.Name] = c.Needs
	}
	out := map[project.Part]map[string]bool{}
	for _, a := range roots {
		p := a.Part
		if out[p] == nil {
			out[p] = map[string]bool{}
		}
		if !a.Marker.Holds(env.Markers) {
			continue
		}
		var visit func(string)
		visit = func(name string) {
			if out[p][name] {
				return
			}
			out[p][name] = true
			for _, n := range needs[name] {
				visit(n.Name)
			}
		}
		visit(a.Key())
	}
	return out
}

// record writes what was solved as a record: an entry for each version of each
// distribution, with the shortest marker that tells where it belongs.
func (m *Machine) universalRecord(ctx context.Context, p *Plan, spec *project.Spec, roots []project.Asked, u *universal) ([]byte, error) {
	r := &project.Record{File: p.place.RecordFile, CreatedBy: "glassjar", RequiresPython: spec.RequiresPython, Environments: target.Environments(u.targets),
		Extras: spec.Extras, Groups: spec.Groups, Asked: project.Asks(sortedAsked(roots)), SeeSystem: p.seesSystem(), Left: u.leftOut()}
	type key struct {
		name    string
		version string
	}
	places := map[key]map[target.Target]bool{}
	versions := map[key]version.Version{}
	parts := map[key]map[project.Part]bool{}
	needs := map[key]map[key]bool{}
	for _, t := range u.targets {
		s := u.chosen[t]
		here := map[string]key{}
		for _, c := range s.Choices {
			here[c.Name] = key{c.Name, c.Version.Key()}
		}
		reached := reach(s, roots, u.set.Environment(t))
		for _, c := range s.Choices {
			k := key{c.Name, c.Version.Key()}
			if places[k] == nil {
				places[k], parts[k], needs[k] = map[target.Target]bool{}, map[project.Part]bool{}, map[key]bool{}
				versions[k] = c.Version
			}
			places[k][t] = true
			for p, names := range reached {
				if names[c.Name] {
					parts[k][p] = true
				}
			}
			for _, n := range c.Needs {
				if n.Name != c.Name {
					needs[k][here[n.Name]] = true
				}
			}
		}
	}
	var keys []key
	versionsOf := map[string]int{}
	for k := range places {
		keys = append(keys, k)
		versionsOf[k.name]++
	}
	sort.Slice(keys, func(i, j int) bool {
		if keys[i].name != keys[j].name {
			return keys[i].name < keys[j].name
		}
		return keys[i].version < keys[j].version
	})
	base, err := ofBase(p.python, p.seesSystem())
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		if b, ok := base[k.name]; ok && b.Version.Key() == k.version {
			continue // it is the base's, on every machine that has it
		}
		e, err := m.recordEntry(ctx, p, k.name, versions[k], u)
		if err != nil {
			return nil, err
		}
		for _, other := range keys {
			if needs[k][other] {
				d := project.Dependency{Name: other.name}
				if versionsOf[other.name] > 1 {
					d.Version = versions[other]
				}
				e.Dependencies = append(e.Dependencies, d)
			}
		}
		e.Marker = u.set.Marker(u.targets, func(t target.Target) bool { return places[k][t] }).And(partMarker(parts[k]))
		r.Packages = append(r.Packages, e)
	}
	if err := m.addPublishers(ctx, p, r); err != nil {
		return nil, err
	}
	return r.Format(), nil
}

// partMarker is the condition that one of the parts was asked for; none for
// what the dependencies bring.
func partMarker(parts map[project.Part]bool) requirement.Marker {
	if parts[project.Part{}] || len(parts) == 0 {
		return requirement.Marker{}
	}
	var conditions []string
	for p := range parts {
		conditions = append(conditions, p.Condition())
	}
	sort.Strings(conditions)
	return requirement.MustParseMarker(strings.Join(conditions, " or "))
}

// pickParts narrows a jar's selection to what the chosen parts bring.
func pickParts(u *universal, roots []project.Asked, env target.Environment, chosen func(project.Part) bool) []selection {
	names := map[string]bool{}
	for p, reached := range reach(u.own, roots, env) {
		if chosen(p) {
			for name := range reached {
				names[name] = true
			}
		}
	}
	asked := map[string]bool{}
	for _, a := range roots {
		if chosen(a.Part) {
			asked[a.Key()] = true
		}
	}
	var out []selection
	for _, s := range u.ownSelected {
		if names[s.name] {
			s.asked = asked[s.name]
			out = append(out, s)
		}
	}
	return out
}

// fileOf is any wheel of a version that serves one of the targets, for its
// metadata.
func (m *Machine) fileOf(ctx context.Context, p *Plan, name string, v version.Version, u *universal) (*index.File, error) {
	for _, s := range u.ownSelected {
		if s.name == name && s.version.Equal(v) && !s.provided {
			return &s.file, nil
		}
	}
	var last error
	for _, t := range u.targets {
		f, err := (&catalog.Provider{Catalog: p.catalog, Environment: u.set.Environment(t), Context: ctx}).File(ctx, name, v)
		if err == nil && f != nil {
			return f, nil
		}
		last = err
	}
	return nil, last
}
