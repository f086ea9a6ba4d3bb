package page

import (
	"slices"

	"glassjar/core/operation"
)

// What needs what is drawn in the page itself, by a library for layered graphs (dagre, MIT licence,
// beside it): only so can one package and its chains be looked at among a thousand.

// needsMap is what is drawn. What needs nothing and nothing needs stands apart.
type needsMap struct {
	Nodes []node   `json:"nodes"`
	Edges []edge   `json:"edges"`
	Alone []string `json:"-"`
}

type node struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Asked   bool   `json:"asked,omitempty"`
	Missing bool   `json:"missing,omitempty"`
}

// edge leads from a package to what it needs, by their numbers.
type edge struct {
	From  int    `json:"from"`
	To    int    `json:"to"`
	Range string `json:"range,omitempty"`
}

func mapOf(r *operation.Report) needsMap {
	var m needsMap
	at, linked := map[string]int{}, map[string]bool{}
	for _, n := range r.Needs {
		linked[n.From], linked[n.To] = true, true
	}
	add := func(n node) int {
		if i, there := at[n.Name]; there {
			return i
		}
		at[n.Name] = len(m.Nodes)
		m.Nodes = append(m.Nodes, n)
		return at[n.Name]
	}
	for _, p := range r.Packages {
		switch {
		case linked[p.Name]:
			add(node{Name: p.Name, Version: p.Version, Asked: p.Asked})
		case !p.Base:
			m.Alone = append(m.Alone, p.Name)
		}
	}
	for _, n := range r.Needs {
		from := add(node{Name: n.From, Missing: true})
		e := edge{from, add(node{Name: n.To, Missing: true}), n.Range}
		if e.From != e.To && !slices.ContainsFunc(m.Edges, func(o edge) bool { return o.From == e.From && o.To == e.To }) {
			m.Edges = append(m.Edges, e)
		}
	}
	return m
}
