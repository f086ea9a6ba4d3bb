package view

import (
	"sort"
	"strings"

	"glassjar/core/graph"
	"glassjar/core/operation"
	"glassjar/core/project"
)

// tree draws what was asked for, and below each what it needs, set in. What a
// package needs is drawn once; where it comes up again that is said.
type tree struct {
	screen *Screen
	sheet  *Sheet
	here   map[string]operation.Entry
	needs  map[string][]graph.Need
	drawn  map[string]bool
}

// ContentsTree draws a jar's packages as what needs what.
func (s *Screen) ContentsTree(c *operation.Contents) {
	t := &tree{screen: s, sheet: s.Sheet(), here: map[string]operation.Entry{}, needs: map[string][]graph.Need{}, drawn: map[string]bool{}}
	t.sheet.Line("jar", s.Bold(s.Jar(c.Jar)), s.Faint(c.Python))
	for _, e := range c.Entries {
		t.here[e.Name] = e
	}
	for _, n := range c.Needs {
		t.needs[n.From] = append(t.needs[n.From], n)
	}
	roots := append([]graph.Need(nil), c.Roots...)
	sort.SliceStable(roots, func(i, j int) bool { return roots[i].Part.Compare(roots[j].Part) < 0 })
	for _, n := range roots {
		label := "asked"
		if name := n.Part.Group + n.Part.Extra; name != "" {
			label = name
		}
		t.draw(label, n, 0)
	}
	for _, e := range c.Entries {
		if !t.drawn[e.Name] && !e.Base {
			t.draw("alone", graph.Need{To: e.Name}, 0)
		}
	}
	if len(c.Entries) == 0 {
		t.sheet.Line("holds", s.Plain("nothing yet"))
	}
	t.sheet.Print()
}

// maxLabel is how much of a group's name stands in the column of labels.
const maxLabel = labelWidth - 1

func (t *tree) draw(label string, n graph.Need, depth int) {
	if len(label) > maxLabel {
		label = label[:maxLabel]
	}
	s := t.screen
	e, here := t.here[n.To]
	lead := strings.Repeat("  ", depth)
	name, version, words := s.Plain(lead+n.To), s.Plain(e.Version), wanted(n)
	if depth == 0 {
		name = s.Bold(n.To)
	}
	again := t.drawn[n.To] && len(t.needs[n.To]) > 0
	switch {
	case !here:
		name, version = s.Bad(lead+n.To), s.Bad("missing")
	case e.Base:
		words = strings.TrimPrefix(words+", of the base", ", ")
	case again:
		words = strings.TrimPrefix(words+", needs as above", ", ")
	}
	t.sheet.Row(label, name, version, s.Faint(words))
	if again {
		return
	}
	t.drawn[n.To] = true
	for _, below := range t.needs[n.To] {
		t.draw(label, below, depth+1)
	}
}

// wanted is what a need asks for: "any", ">=2 with plot".
func wanted(n graph.Need) string {
	text := n.Range
	if text == "" {
		text = "any"
	}
	if len(n.Extras) > 0 {
		text += " with " + strings.Join(n.Extras, ", ")
	}
	return text
}

// Why shows what brought a distribution into the jar, a chain a line.
func (s *Screen) Why(w *operation.Why) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(w.Jar)))
	if len(w.Chains) == 0 {
		words := "nobody asked for it, and nothing needs it"
		if w.Base {
			words = "it belongs to the base, and the jar sees it"
		}
		t.Line("why", s.Bold(w.Name), s.Plain(w.Version), s.Plain(words))
	}
	for _, c := range w.Chains {
		var words []string
		for i, n := range c {
			text := "needs  " + n.To
			if i == 0 {
				text = "asked for  " + n.To
				if n.Part != (project.Part{}) {
					text = n.Part.String() + " asks for  " + n.To
				}
			}
			if n.Range != "" {
				text += " " + n.Range
			}
			if len(n.Extras) > 0 {
				text += " with " + strings.Join(n.Extras, ", ")
			}
			if v := w.Versions[n.To]; v != "" {
				text += " (" + v + ")"
			} else {
				text += " (missing)"
			}
			words = append(words, text)
		}
		t.Line("why", s.Plain(strings.Join(words, "  ")))
	}
	if w.More {
		t.Line("", s.Faint("and more chains"))
	}
	t.Print()
}
