// Package graph is what needs what among the distributions of a jar, as far as it holds
// there: markers are evaluated, and extras count that something asks for. It knows
// distributions by their metadata alone.
package graph

import (
	"maps"
	"slices"

	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Node is one distribution. Its name is that of its metadata, in normal form.
type Node struct {
	metadata.Metadata
	// Asked tells that a person asked for it.
	Asked bool
	// Base tells that it belongs to the base, which the jar sees. What it needs is not
	// followed.
	Base bool
}

// Root is a requirement of a person, and the part of the spec that it stands in.
type Root struct {
	Requirement requirement.Requirement
	Part        project.Part
}

// Need is one reason for which a distribution is in a jar.
type Need struct {
	// From is the distribution that needs it; empty where a person asked.
	From string
	To   string
	// Range is what versions will do, as written, and empty for any; Extras are
	// those that are wanted of it.
	Range  string
	Extras []string
	// Part is where a person asked.
	Part project.Part

	requirement requirement.Requirement
}

func need(from string, r requirement.Requirement, part project.Part) Need {
	return Need{From: from, To: r.Key(), Range: r.Specifiers.Written(), Extras: r.ExtraKeys(), Part: part, requirement: r}
}

// Holds reports whether a requirement counts when some extras are asked for of the
// distribution that states it.
type Holds func(r requirement.Requirement, extras []string) bool

// In is how requirements hold in an environment. Where that is not known markers do not
// count, and nothing that asks for an extra holds.
func In(env requirement.Environment) Holds {
	return func(r requirement.Requirement, extras []string) bool {
		if env == nil {
			return !r.Marker.UsesExtra()
		}
		return r.Marker.Holds(env, extras...)
	}
}

// Graph is made by [New]. Names in it are in normal form; there are needs of names that
// are no node.
type Graph struct {
	nodes map[string]Node
	own   []string // the nodes that are not of the base, sorted
	roots []Need
	needs map[string][]Need
	by    map[string][]string
	holds Holds
}

// New makes a graph of distributions, of which an own one hides one of the base, and of
// what people asked for. A node that is asked for without a root gets one.
func New(nodes []Node, roots []Root, holds Holds) *Graph {
	g := &Graph{nodes: map[string]Node{}, needs: map[string][]Need{}, by: map[string][]string{}, holds: holds}
	for _, n := range nodes {
		if _, there := g.nodes[n.Key()]; !there || !n.Base {
			g.nodes[n.Key()] = n
		}
	}
	for name, n := range g.nodes {
		if !n.Base {
			g.own = append(g.own, name)
		}
	}
	slices.Sort(g.own)
	for _, r := range roots {
		if holds(r.Requirement, nil) {
			g.roots = append(g.roots, need("", r.Requirement, r.Part))
		}
	}
	for _, name := range g.own {
		if g.nodes[name].Asked && !slices.ContainsFunc(g.roots, func(n Need) bool { return n.To == name }) {
			g.roots = append(g.roots, Need{To: name})
		}
	}
	g.addNeeds(holds)
	return g
}

// addNeeds follows extras until no further one is asked for.
func (g *Graph) addNeeds(holds Holds) {
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
		for _, name := range g.own {
			for _, r := range g.nodes[name].Requires {
				if !holds(r, extras[name]) && !holds(r, nil) {
					continue
				}
				n := need(name, r, project.Part{})
				again = want(n) || again
				if n.To != name { // an extra may add other extras of the same
					g.needs[name] = append(g.needs[name], n)
				}
			}
		}
	}
	for _, name := range g.own {
		for _, n := range g.needs[name] {
			if !slices.Contains(g.by[n.To], name) {
				g.by[n.To] = append(g.by[n.To], name)
			}
		}
	}
}

// Names are the distributions that are not of the base, sorted.
func (g *Graph) Names() []string { return g.own }

// OfBase are those of the base that are seen, sorted.
func (g *Graph) OfBase() []string {
	var out []string
	for name, n := range g.nodes {
		if n.Base {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Node is the distribution of a name, if it is there.
func (g *Graph) Node(name string) (Node, bool) {
	n, ok := g.nodes[name]
	return n, ok
}

// Roots are what people asked for.
func (g *Graph) Roots() []Need { return g.roots }

// Needs are what a distribution needs.
func (g *Graph) Needs(name string) []Need { return g.needs[name] }

// NeededBy are the distributions that need one, sorted.
func (g *Graph) NeededBy(name string) []string { return g.by[name] }

// Asked reports whether a person asked for a name.
func (g *Graph) Asked(name string) bool {
	return slices.ContainsFunc(g.roots, func(n Need) bool { return n.To == name })
}

// Met reports whether what is here meets a need.
func (g *Graph) Met(n Need) bool {
	node, ok := g.nodes[n.To]
	return ok && n.requirement.Specifiers.Holds(node.Version)
}

// Only keeps what the groups or extras of a name lead to. Where there is none of that
// name it keeps all and reports false; known are the names that there are.
func (g *Graph) Only(name string) (known []string, ok bool) {
	var to []string
	var kept []Need
	for _, n := range g.roots {
		is := n.Part.Group + n.Part.Extra
		if is == "" {
			continue
		}
		known = append(known, is)
		if is == requirement.Normalize(name) {
			to, kept = append(to, n.To), append(kept, n)
		}
	}
	if len(to) == 0 {
		return known, false
	}
	g.roots = kept
	in := g.Reach(to...)
	for _, name := range g.own {
		if !in[name] {
			delete(g.nodes, name)
		}
	}
	g.own = slices.DeleteFunc(g.own, func(name string) bool { return !in[name] })
	return known, true
}

// Parts tells for each name which parts of the spec lead to it, in the order of their
// words.
func (g *Graph) Parts() map[string][]string {
	from := map[string][]string{}
	for _, n := range g.roots {
		from[n.Part.String()] = append(from[n.Part.String()], n.To)
	}
	out := map[string][]string{}
	for _, part := range slices.Sorted(maps.Keys(from)) {
		for name := range g.Reach(from[part]...) {
			out[name] = append(out[name], part)
		}
	}
	return out
}
