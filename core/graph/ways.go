package graph

import "slices"

// Reach are the names below some, themselves included.
func (g *Graph) Reach(names ...string) map[string]bool {
	return Below(names, func(name string) []string {
		var out []string
		for _, n := range g.needs[name] {
			out = append(out, n.To)
		}
		return out
	})
}

// above are the names from which one can be reached, itself included.
func (g *Graph) above(name string) map[string]bool {
	return Below([]string{name}, g.NeededBy)
}

// Below are all names that some lead to, themselves included; next are those that one leads to.
func Below(from []string, next func(string) []string) map[string]bool {
	seen := map[string]bool{}
	var walk func(string)
	walk = func(name string) {
		if seen[name] {
			return
		}
		seen[name] = true
		for _, n := range next(name) {
			walk(n)
		}
	}
	for _, name := range from {
		walk(name)
	}
	return seen
}

// WantedBy are the nodes marked as asked for that lead to a name, by ways that do not
// pass what is to go.
func (g *Graph) WantedBy(name string, gone map[string]bool) []string {
	if gone[name] {
		return nil
	}
	var out []string
	for found := range Below([]string{name}, func(name string) []string {
		return slices.DeleteFunc(slices.Clone(g.by[name]), func(by string) bool { return gone[by] })
	}) {
		if g.nodes[found].Asked {
			out = append(out, found)
		}
	}
	slices.Sort(out)
	return out
}

// extrasBy are the extras that a need asks for, and those that these ask for themselves.
func (g *Graph) extrasBy(n Need) []string {
	extras := slices.Clone(n.Extras)
	for again := true; again; {
		again = false
		for _, r := range g.nodes[n.To].Requires {
			if r.Key() != n.To || !g.holds(r, extras) {
				continue
			}
			for _, e := range r.ExtraKeys() {
				if !slices.Contains(extras, e) {
					extras, again = append(extras, e), true
				}
			}
		}
	}
	return extras
}

// Chain is one way in which a distribution came into a jar, from what was asked for to
// the distribution.
type Chain []Need

// maxChains bounds how many chains are listed: their number grows with the power of the
// depth.
const maxChains = 200

// Chains are all ways from a root to a name, the shortest first; more tells that there
// are others. A chain passes no distribution twice.
func (g *Graph) Chains(name string) (out []Chain, more bool) {
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
		extras := g.extrasBy(c[len(c)-1])
		for _, n := range g.needs[last] {
			if able[n.To] && (g.holds(n.requirement, extras) || g.holds(n.requirement, nil)) && !slices.ContainsFunc(c, func(x Need) bool { return x.To == n.To }) {
				queue = append(queue, append(slices.Clone(c), n))
			}
		}
	}
	return out, false
}
