package plan

import (
	"cmp"
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
	targets map[target.Target]bool
	parts   map[project.Part]bool
	needs   map[key]bool
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
		e.Marker = u.set.Marker(u.Served, func(t target.Target) bool { return found[k].targets[t] }).And(partMarker(found[k].parts))
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
				e = &entry{c.Version, map[target.Target]bool{}, map[project.Part]bool{}, map[key]bool{}}
				out[here[c.Name]] = e
			}
			e.targets[t] = true
			for p, names := range reached {
				if names[c.Name] {
					e.parts[p] = true
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

// partMarker is the condition that one of the parts was asked for; none for what the
// dependencies lead to.
func partMarker(parts map[project.Part]bool) requirement.Marker {
	if parts[project.Part{}] || len(parts) == 0 {
		return requirement.Marker{}
	}
	var conditions []string
	for p := range parts {
		conditions = append(conditions, p.Condition())
	}
	slices.Sort(conditions)
	return requirement.MustParseMarker(strings.Join(conditions, " or "))
}
