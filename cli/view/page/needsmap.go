package page

import (
	"fmt"
	"sort"

	"glassjar/core/graph"
	"glassjar/core/operation"
)

// The map of needs is drawn in columns: what was asked for stands at the left,
// and each package right of all that need it.
const (
	boxHeight = 26
	rowGap    = 10
	columnGap = 64
	letter    = 7.4 // the width of a letter, about
	boxPad    = 22
	margin    = 12
)

// needsMap is the picture, in its own units.
type needsMap struct {
	Width, Height int
	Boxes         []box
	Lines         []line
}

type box struct {
	Name, Version       string
	Asked, Missing      bool
	X, Y, Width, Height int
	TextX, TextY        int
}

type line struct{ From, To, Range, Path string }

func drawMap(r *operation.Report) needsMap {
	here := map[string]operation.ReportPackage{}
	for _, p := range r.Packages {
		here[p.Name] = p
	}
	needs := map[string][]graph.Need{}
	for _, n := range r.Needs {
		needs[n.From] = append(needs[n.From], n)
	}
	columns := columnsOf(r, needs)
	for range 3 {
		straighten(columns, r.Needs)
	}
	var m needsMap
	at := map[string]box{}
	x := margin
	for _, names := range columns {
		wide := 0
		for _, name := range names {
			wide = max(wide, int(letter*float64(len(name)))+boxPad)
		}
		for i, name := range names {
			p, ok := here[name]
			b := box{Name: name, Version: p.Version, Asked: p.Asked, Missing: !ok, X: x, Y: margin + i*(boxHeight+rowGap), Width: wide, Height: boxHeight}
			b.TextX, b.TextY = b.X+boxPad/2, b.Y+boxHeight-9
			m.Boxes = append(m.Boxes, b)
			at[name] = b
			m.Height = max(m.Height, b.Y+boxHeight+margin)
		}
		x += wide + columnGap
	}
	m.Width = max(x-columnGap+margin, 200)
	for _, n := range r.Needs {
		a, b := at[n.From], at[n.To]
		x1, y1, x2, y2 := a.X+a.Width, a.Y+boxHeight/2, b.X, b.Y+boxHeight/2
		bend := max(columnGap/2, (x2-x1)/2)
		m.Lines = append(m.Lines, line{n.From, n.To, n.Range, fmt.Sprintf("M%d %d C%d %d %d %d %d %d", x1, y1, x1+bend, y1, x2-bend, y2, x2, y2)})
	}
	return m
}

// columnsOf puts each package right of all that need it; in a circle of needs
// the first that is met counts.
func columnsOf(r *operation.Report, needs map[string][]graph.Need) [][]string {
	column := map[string]int{}
	on := map[string]bool{}
	var visit func(name string, depth int)
	visit = func(name string, depth int) {
		if have, ok := column[name]; on[name] || ok && have >= depth {
			return
		}
		column[name] = depth
		on[name] = true
		for _, n := range needs[name] {
			visit(n.To, depth+1)
		}
		on[name] = false
	}
	for _, n := range r.Roots {
		visit(n.To, 0)
	}
	for _, p := range r.Packages {
		if !p.Base {
			visit(p.Name, 0)
		}
	}
	var names []string
	for name := range column {
		names = append(names, name)
	}
	sort.Strings(names)
	var out [][]string
	for _, name := range names {
		for len(out) <= column[name] {
			out = append(out, nil)
		}
		out[column[name]] = append(out[column[name]], name)
	}
	return out
}

// straighten orders each column by where the neighbours to the left stand, so
// that fewer lines cross.
func straighten(columns [][]string, needs []graph.Need) {
	place := map[string]int{}
	for _, names := range columns {
		for i, name := range names {
			place[name] = i
		}
	}
	for _, names := range columns[min(1, len(columns)):] {
		middle := map[string]float64{}
		for _, name := range names {
			sum, count := 0, 0
			for _, n := range needs {
				if n.To == name {
					sum += place[n.From]
					count++
				}
			}
			middle[name] = float64(place[name])
			if count > 0 {
				middle[name] = float64(sum) / float64(count)
			}
		}
		sort.SliceStable(names, func(i, j int) bool { return middle[names[i]] < middle[names[j]] })
		for i, name := range names {
			place[name] = i
		}
	}
}
