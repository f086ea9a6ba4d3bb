package plan

import (
	"maps"
	"slices"

	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// What the record before has a say in: which versions are preferred, and below which nothing goes.

// several are the entries of a record that are not the only ones of their names, where a version
// of the name is to be preferred at all.
func several(record *project.Record, keep map[string]version.Version) []project.Package {
	if record == nil {
		return nil
	}
	count := map[string]int{}
	for _, e := range record.Packages {
		count[e.Name]++
	}
	return slices.DeleteFunc(slices.Clone(record.Packages), func(e project.Package) bool {
		_, kept := keep[e.Name]
		return count[e.Name] < 2 || e.Version.IsZero() || !kept
	})
}

// problem is what is to be solved in an environment, with versions below which nothing is to go.
func (u *Solutions) problem(env target.Environment, floors map[string]version.Version) resolve.Problem {
	p := u.ask.Problem
	p.Keep = u.keepIn(env)
	p = u.solver.problem(env, u.ask.Roots, p)
	for i, need := range p.Roots {
		if v, ok := floors[need.Name]; ok && need.URL == "" {
			p.Roots[i].Specifiers = append(slices.Clone(need.Specifiers), version.MustParseSpecifiers(">="+v.Public())...)
			p.Roots[i].Here = true
		}
	}
	return p
}

// floorIn are the versions below which something is not to go in an environment.
func (u *Solutions) floorIn(env target.Environment) map[string]version.Version {
	out := map[string]version.Version{}
	for name, v := range u.ask.Floor {
		if env.Target == u.ask.Environment.Target {
			out[name] = v
		}
		for _, e := range u.recorded() {
			if e.Name == name && env.Target != u.ask.Environment.Target && !e.Version.IsZero() && u.belongs(e, env) {
				out[name] = e.Version
			}
		}
	}
	return out
}

// recorded are the entries of the record that there was.
func (u *Solutions) recorded() []project.Package {
	if u.ask.Record == nil {
		return nil
	}
	return u.ask.Record.Packages
}

// keepIn are the versions that are preferred in an environment.
func (u *Solutions) keepIn(env target.Environment) map[string]version.Version {
	if len(u.several) == 0 {
		return u.ask.Problem.Keep
	}
	keep := maps.Clone(u.ask.Problem.Keep)
	for _, e := range u.several {
		if u.belongs(e, env) {
			keep[e.Name] = e.Version
		}
	}
	return keep
}

// belongs reports whether an entry of the record belongs into a jar in an environment that holds all
// groups and extras.
func (u *Solutions) belongs(e project.Package, env target.Environment) bool {
	return e.Marker.HoldsIn(env.Markers, u.ask.Record.Extras, u.ask.Record.Groups)
}
