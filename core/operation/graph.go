package operation

import (
	"context"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Need is one reason for which a distribution is in a jar.
type Need struct {
	// From is the distribution that needs it; empty where a person asked.
	From string `json:"from"`
	To   string `json:"to"`
	// Range is what versions will do, as written, and empty for any; Extras are
	// those that are wanted of it.
	Range  string   `json:"range"`
	Extras []string `json:"extras,omitempty"`
	// Part is where a person asked: a group or an extra of the spec, as in
	// "group test", or empty.
	Part string `json:"part,omitempty"`

	requirement requirement.Requirement
}

// graph is what needs what in a jar, as far as it holds there: markers are
// evaluated, and extras count that something asks for.
type graph struct {
	// installed are the jar's distributions by name; names are the keys, sorted.
	installed map[string]jar.Installed
	names     []string
	// roots are what people asked for, needs what each distribution needs, by is
	// the same the other way round. Names that are not in the jar are in it too.
	roots []Need
	needs map[string][]Need
	by    map[string][]string
	// base are the distributions that the jar sees of its base.
	base map[string]catalog.Present
}

// graph finds what needs what. Where the interpreter cannot be asked, markers
// do not count.
func (m *Machine) graph(ctx context.Context, j *jar.Jar, installed []jar.Installed) *graph {
	g := &graph{installed: map[string]jar.Installed{}, needs: map[string][]Need{}, by: map[string][]string{}, base: map[string]catalog.Present{}}
	for _, d := range installed {
		g.installed[d.Key()] = d
		g.names = append(g.names, d.Key())
	}
	in, err := m.interpreterOf(ctx, j)
	var env requirement.Environment
	if err == nil {
		env = in.Environment()
		if base, err := m.provided(&Plan{jar: j, python: in}); err == nil {
			g.base = base
		}
	}
	holds := func(r requirement.Requirement, extras []string) bool {
		if env == nil {
			return !r.Marker.UsesExtra()
		}
		return r.Marker.Holds(env, extras...)
	}
	g.addRoots(m, j, holds)
	g.addNeeds(holds)
	return g
}

// addRoots takes what the spec asks for of the parts that the jar holds, and
// what is marked as asked for without being in a spec.
func (g *graph) addRoots(m *Machine, j *jar.Jar, holds func(requirement.Requirement, []string) bool) {
	said := map[string]bool{}
	if spec, err := readSpec(m.Places().At(j.Root, place.Named)); err == nil {
		for _, a := range spec.Asked {
			if p := partOf(a); j.State.Parts.Has(p.group, p.extra) && holds(a.Requirement, nil) {
				g.roots = append(g.roots, need("", a.Requirement, partName(a)))
				said[a.Key()] = true
			}
		}
	}
	for _, name := range g.names {
		if g.installed[name].Requested && !said[name] {
			g.roots = append(g.roots, Need{To: name})
		}
	}
}

func partName(a project.Asked) string {
	switch {
	case a.Group != "":
		return "group " + a.Group
	case a.Extra != "":
		return "extra " + a.Extra
	}
	return ""
}

func need(from string, r requirement.Requirement, part string) Need {
	return Need{From: from, To: r.Key(), Range: r.Specifiers.Written(), Extras: r.ExtraKeys(), Part: part, requirement: r}
}

// addNeeds follows extras until no further one is asked for.
func (g *graph) addNeeds(holds func(requirement.Requirement, []string) bool) {
	extras := map[string][]string{}
	want := func(n Need) (news bool) {
		for _, e := range n.Extras {
			if !slices.Contains(extras[n.To], e) {
				extras[n.To], news = append(extras[n.To], e), true
			}
		}
		return news
	}
	for _, n := range g.roots {
		want(n)
	}
	for again := true; again; {
		again = false
		clear(g.needs)
		for _, name := range g.names {
			for _, r := range g.installed[name].Metadata.Requires {
				if !holds(r, extras[name]) && !holds(r, nil) {
					continue
				}
				n := need(name, r, "")
				again = want(n) || again
				if n.To != name { // an extra may add other extras of the same
					g.needs[name] = append(g.needs[name], n)
				}
			}
		}
	}
	for _, name := range g.names {
		for _, n := range g.needs[name] {
			if !slices.Contains(g.by[n.To], name) {
				g.by[n.To] = append(g.by[n.To], name)
			}
		}
	}
}

// only keeps what one group or extra of the spec brings.
func (g *graph) only(group string) error {
	key := requirement.Normalize(group)
	var names, known []string
	kept := g.roots[:0]
	for _, n := range g.roots {
		if _, name, ok := strings.Cut(n.Part, " "); ok {
			known = append(known, name)
			if requirement.Normalize(name) == key {
				names = append(names, n.To)
				kept = append(kept, n)
			}
		}
	}
	if len(names) == 0 {
		try := "glassjar install --group " + group + " NAME writes one"
		if near := near.Names(key, known); len(near) > 0 {
			try = "the name " + near[0]
		}
		return usage("the jar holds nothing of a group or extra %q", try, group)
	}
	g.roots = kept
	in := g.reach(names...)
	for _, name := range g.names {
		if !in[name] {
			delete(g.installed, name)
		}
	}
	g.names = sortedNames(g.installed)
	return nil
}

// parts tells for each name which pieces of the spec bring it.
func (g *graph) parts() map[string][]string {
	from := map[string][]string{}
	for _, n := range g.roots {
		part := n.Part
		if part == "" {
			part = "dependencies"
		}
		from[part] = append(from[part], n.To)
	}
	out := map[string][]string{}
	for _, part := range sortedNames(from) {
		for name := range g.reach(from[part]...) {
			out[name] = append(out[name], part)
		}
	}
	return out
}

// asked reports whether a person asked for a name.
func (g *graph) asked(name string) bool {
	return slices.ContainsFunc(g.roots, func(n Need) bool { return n.To == name })
}

// reach are the names below some, themselves included.
func (g *graph) reach(names ...string) map[string]bool {
	seen := map[string]bool{}
	var visit func(string)
	visit = func(name string) {
		if seen[name] {
			return
		}
		seen[name] = true
		for _, n := range g.needs[name] {
			visit(n.To)
		}
	}
	for _, name := range names {
		visit(name)
	}
	return seen
}

// Chain is one way in which a distribution came into a jar, from what was asked
// for to the distribution.
type Chain []Need

// maxChains bounds how many chains are listed: their number grows with the
// power of the depth.
const maxChains = 200

// chains are all ways from a root to a name, the shortest first; more tells
// that there are others. A chain passes no distribution twice.
func (g *graph) chains(name string) (out []Chain, more bool) {
	var queue []Chain
	for _, n := range g.roots {
		queue = append(queue, Chain{n})
	}
	able := g.above(name)
	for len(queue) > 0 {
		c := queue[0]
		queue = queue[1:]
		last := c[len(c)-1].To
		if last == name {
			if len(out) == maxChains {
				return out, true
			}
			out = append(out, c)
			continue
		}
		for _, n := range g.needs[last] {
			if able[n.To] && !slices.ContainsFunc(c, func(x Need) bool { return x.To == n.To }) {
				queue = append(queue, append(slices.Clone(c), n))
			}
		}
	}
	return out, false
}

// above are the names from which one can be reached, itself included.
func (g *graph) above(name string) map[string]bool {
	seen := map[string]bool{}
	var climb func(string)
	climb = func(k string) {
		if !seen[k] {
			seen[k] = true
			for _, by := range g.by[k] {
				climb(by)
			}
		}
	}
	climb(name)
	return seen
}

// Why is what brought a distribution into a jar.
type Why struct {
	Jar     string `json:"jar"`
	Name    string `json:"name"`
	Version string `json:"version"`
	// Chains lead from what was asked for to the distribution, the shortest first.
	Chains []Chain `json:"chains"`
	// Versions are those in the jar of all names on the way.
	Versions map[string]string `json:"versions"`
	// More tells that there are further chains than are listed.
	More bool `json:"more,omitempty"`
	// Base tells that the jar only sees it of its base.
	Base bool `json:"of_base,omitempty"`
}

// Why tells by which chains a distribution came into a jar. The error is a
// [*NotInstalledError] for a name that is not there.
func (m *Machine) Why(ctx context.Context, ref, name string) (*Why, error) {
	return steady(ctx, m, ref, func() (*Why, error) { return m.why(ctx, ref, name) })
}

func (m *Machine) why(ctx context.Context, ref, name string) (*Why, error) {
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	if !requirement.ValidName(name) {
		return nil, badName(name)
	}
	g := m.graph(ctx, j, installed)
	key := requirement.Normalize(name)
	out := &Why{Jar: at.Root, Name: key, Versions: map[string]string{}, Chains: []Chain{}}
	if out.Version, out.Base = g.version(key); out.Version == "" {
		return nil, &NotInstalledError{Names: []string{name}, Near: map[string][]string{name: near.Names(key, g.names)}}
	}
	chains, more := g.chains(key)
	out.Chains, out.More = append(out.Chains, chains...), more
	for _, c := range chains {
		for _, n := range c {
			out.Versions[n.To], _ = g.version(n.To)
		}
	}
	return out, nil
}

// version is that of a name in the jar or, then base is true, of its base;
// empty for a name that is in neither.
func (g *graph) version(name string) (text string, base bool) {
	if d, ok := g.installed[name]; ok {
		return d.Version().String(), false
	}
	if p, ok := g.base[name]; ok {
		return p.Version.String(), true
	}
	return "", false
}

func badName(name string) error {
	return usage("%q is not a distribution's name", "glassjar contents lists what is in the jar", name)
}
