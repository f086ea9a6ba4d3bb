package operation

import (
	"context"
	"errors"
	"fmt"
	"sort"
	"strings"

	"glassjar/core/index"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/version"
)

// universal is what was solved for all targets and for the jar itself.
type universal struct {
	targets []Target
	// chosen tells for each target what is to be installed there.
	chosen map[Target]*resolve.Solution
	// own is for the jar's interpreter; ownSelected are its files.
	own         *resolve.Solution
	ownSelected []selection
	// left are targets for which there is no solution, with the reason.
	left map[Target]error
}

// solveAll solves the roots for every target, then for the jar's own
// interpreter. Each solution prefers what those before it chose, so that one
// version serves all where it can; the order is the same on every machine.
func (m *Machine) solveAll(ctx context.Context, p *Plan, spec *project.Spec, roots []project.Asked, problem resolve.Problem) (*universal, error) {
	if err := m.addDirect(ctx, p.catalog, roots); err != nil {
		return nil, err
	}
	base, err := m.provided(p)
	if err != nil {
		return nil, err
	}
	ownEnv, own := environmentOf(p.python), targetOf(p.python)
	if err := m.checkNames(ctx, p.catalog, roots, ownEnv, base, p.SampleOnly); err != nil {
		return nil, err
	}
	targets, explicit, err := targetsOf(spec)
	if err != nil {
		return nil, err
	}
	u := &universal{chosen: map[Target]*resolve.Solution{}, left: map[Target]error{}}
	keep := map[string]version.Version{}
	for name, v := range problem.Keep {
		keep[name] = v
	}
	// What the base provides is not replaced by what would come from an index.
	// A record that sees its base counts on it on every machine, and says so.
	for name, b := range base {
		keep[name] = b.version
	}
	for n, t := range targets {
		m.report(Progress{Stage: "solving for all targets", Done: int64(n), Total: int64(len(targets))})
		s, err := m.solveOne(ctx, p.catalog, t.environment(), roots, problem, keep, base)
		var failure *SolveError
		switch {
		case errors.As(err, &failure) && (!explicit || t == own):
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

func withKeep(p resolve.Problem, keep map[string]version.Version) resolve.Problem {
	p.Keep = keep
	p.Roots = nil
	return p
}

// solveOne solves for a target; files are not looked for.
func (m *Machine) solveOne(ctx context.Context, c *catalog, env environment, roots []project.Asked, problem resolve.Problem, keep map[string]version.Version, base map[string]present) (*resolve.Solution, error) {
	problem = withKeep(problem, keep)
	for _, a := range roots {
		if a.Marker.Holds(env.markers) {
			problem.Roots = append(problem.Roots, m.need(a))
		}
	}
	s, err := resolve.Solve(ctx, &provider{catalog: c, env: env, ctx: ctx, present: base, keep: keep}, problem)
	var failure *resolve.Failure
	if errors.As(err, &failure) {
		return nil, &SolveError{Failure: failure, Environment: env.title}
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

// part is a piece of the spec that can be installed by itself: the
// dependencies, a group, or an extra.
type part struct{ group, extra string }

func (p part) condition() string {
	switch {
	case p.group != "":
		return fmt.Sprintf("%q in dependency_groups", p.group)
	case p.extra != "":
		return fmt.Sprintf("%q in extras", p.extra)
	}
	return ""
}

func partOf(a project.Asked) part {
	return part{requirement.Normalize(a.Group), requirement.Normalize(a.Extra)}
}

// reach are the names that each part of the spec brings in, in one solution.
func reach(s *resolve.Solution, roots []project.Asked, env environment) map[part]map[string]bool {
	needs := map[string][]resolve.Need{}
	for _, c := range s.Choices {
		needs[c.Name] = c.Needs
	}
	out := map[part]map[string]bool{}
	for _, a := range roots {
		p := partOf(a)
		if out[p] == nil {
			out[p] = map[string]bool{}
		}
		if !a.Marker.Holds(env.markers) {
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
	r := &project.Record{File: p.place.RecordFile, CreatedBy: "glassjar", RequiresPython: spec.RequiresPython, Environments: environments(u.targets),
		Extras: spec.Extras, Groups: spec.Groups, Asked: askedTexts(sortedAsked(roots)), SeeSystem: p.seesSystem()}
	type key struct {
		name    string
		version string
	}
	places := map[key]map[Target]bool{}
	versions := map[key]version.Version{}
	parts := map[key]map[part]bool{}
	needs := map[key]map[string]bool{}
	for _, t := range u.targets {
		s := u.chosen[t]
		reached := reach(s, roots, t.environment())
		for _, c := range s.Choices {
			k := key{c.Name, c.Version.Key()}
			if places[k] == nil {
				places[k], parts[k], needs[k] = map[Target]bool{}, map[part]bool{}, map[string]bool{}
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
					needs[k][n.Name] = true
				}
			}
		}
	}
	var keys []key
	for k := range places {
		keys = append(keys, k)
	}
	sort.Slice(keys, func(i, j int) bool {
		if keys[i].name != keys[j].name {
			return keys[i].name < keys[j].name
		}
		return keys[i].version < keys[j].version
	})
	base, err := m.provided(p)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		if b, ok := base[k.name]; ok && b.version.Key() == k.version {
			continue // it is the base's, on every machine that has it
		}
		e, err := m.recordEntry(ctx, p, k.name, versions[k], u)
		if err != nil {
			return nil, err
		}
		e.Dependencies = sortedNames(needs[k])
		e.Marker = covering(u.targets, func(t Target) bool { return places[k][t] }).And(partMarker(parts[k]))
		r.Packages = append(r.Packages, e)
	}
	return r.Format(), nil
}

// partMarker is the condition that one of the parts was asked for; none for
// what the dependencies bring.
func partMarker(parts map[part]bool) requirement.Marker {
	if parts[part{}] || len(parts) == 0 {
		return requirement.Marker{}
	}
	var conditions []string
	for p := range parts {
		conditions = append(conditions, p.condition())
	}
	sort.Strings(conditions)
	return requirement.MustParseMarker(strings.Join(conditions, " or "))
}

// pickParts narrows a jar's selection to what the chosen parts bring.
func pickParts(u *universal, roots []project.Asked, env environment, chosen func(part) bool) []selection {
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
		if chosen(partOf(a)) {
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
		f, err := (&provider{catalog: p.catalog, env: t.environment(), ctx: ctx}).file(ctx, name, v)
		if err == nil && f != nil {
			return f, nil
		}
		last = err
	}
	return nil, last
}
