package plan

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
	"glassjar/core/version"
)

// key is one version of a distribution.
type key struct{ name, version string }

// entry is where one version of a distribution was chosen, and what it needs there.
type entry struct {
	version version.Version
	targets targets
	// parts are the parts of the spec that lead to it, and for which targets.
	parts map[project.Part]targets
	needs map[key]bool
}

type targets map[target.Target]bool

// within reports whether other has all of them.
func (t targets) within(other targets) bool {
	for one := range t {
		if !other[one] {
			return false
		}
	}
	return true
}

// Entries are those of the record that serves every target: one for each version of each
// distribution that an index gives, with the shortest marker that tells where it belongs.
// describe gives what a version is made of.
func (u *Solutions) Entries(describe func(name string, v version.Version) (project.Package, error)) ([]project.Package, error) {
	found := u.entries()
	keys := make([]key, 0, len(found))
	versions := map[string]int{}
	for k := range found {
		keys = append(keys, k)
		versions[k.name]++
	}
	slices.SortFunc(keys, func(a, b key) int {
		return cmp.Or(strings.Compare(a.name, b.name), strings.Compare(a.version, b.version))
	})
	var out []project.Package
	for _, k := range keys {
		if base, ok := u.ask.Base[k.name]; ok && base.Key() == k.version {
			continue // it is the base's, on every machine that has it
		}
		e, err := describe(k.name, found[k].version)
		if err != nil {
			return nil, err
		}
		for _, other := range keys {
			if found[k].needs[other] {
				d := project.Dependency{Name: other.name}
				if versions[other.name] > 1 {
					d.Version = found[other].version
				}
				e.Dependencies = append(e.Dependencies, d)
			}
		}
		e.Marker = u.marker(found[k])
		out = append(out, e)
	}
	return out, nil
}

func (u *Solutions) entries() map[key]*entry {
	out := map[key]*entry{}
	for _, t := range u.Served {
		s := u.chosen[t]
		here := map[string]key{}
		for _, c := range s.Choices {
			here[c.Name] = key{c.Name, c.Version.Key()}
		}
		reached := reach(s, u.ask.Roots, u.set.Environment(t))
		for _, c := range s.Choices {
			e := out[here[c.Name]]
			if e == nil {
				e = &entry{c.Version, targets{}, map[project.Part]targets{}, map[key]bool{}}
				out[here[c.Name]] = e
			}
			e.targets[t] = true
			for p, names := range reached {
				if names[c.Name] {
					if e.parts[p] == nil {
						e.parts[p] = targets{}
					}
					e.parts[p][t] = true
				}
			}
			for _, n := range c.Needs {
				if n.Name != c.Name {
					e.needs[here[n.Name]] = true
				}
			}
		}
	}
	return out
}

// marker tells where an entry belongs: for which targets the dependencies lead to it, and for which
// others one of the groups and extras does, where that was asked for.
func (u *Solutions) marker(e *entry) requirement.Marker {
	on := func(t targets) requirement.Marker {
		return u.set.Marker(u.Served, func(one target.Target) bool { return t[one] })
	}
	base := e.parts[project.Part{}]
	if len(e.parts) == 0 || len(base) > 0 && e.targets.within(base) {
		return on(e.targets)
	}
	// Parts that lead to it for the same targets stand together.
	var lists [][]project.Part
	for _, p := range slices.SortedFunc(maps.Keys(e.parts), project.Part.Compare) {
		at := slices.IndexFunc(lists, func(list []project.Part) bool { return maps.Equal(e.parts[list[0]], e.parts[p]) })
		switch {
		case e.parts[p].within(base): // the dependencies lead to it there
		case at >= 0:
			lists[at] = append(lists[at], p)
		default:
			lists = append(lists, []project.Part{p})
		}
	}
	var m requirement.Marker
	for i, list := range lists {
		one := on(e.parts[list[0]]).And(partMarker(list))
		if m = m.Or(one); i == 0 {
			m = one
		}
	}
	if len(base) > 0 {
		m = on(base).Or(m)
	}
	return m
}

// partMarker is the condition that one of some groups and extras was asked for.
func partMarker(parts []project.Part) requirement.Marker {
	var conditions []string
	for _, p := range parts {
		conditions = append(conditions, p.Condition())
	}
	slices.Sort(conditions)
	return requirement.MustParseMarker(strings.Join(conditions, " or "))
}
