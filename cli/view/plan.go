package view

import (
	"fmt"
	"strings"
	"time"

	"glassjar/core/operation"
)

// Plan shows what a command will do.
func (s *Screen) Plan(p *operation.Plan) {
	t := s.Sheet()
	verb := ""
	if p.Create {
		verb = " (to be made)"
	}
	t.Line("jar", s.Bold(s.Path(p.Jar)+verb), s.Faint(p.Python))
	for _, i := range p.Add {
		t.Row("add", s.Good(i.Name), s.Plain(i.Version), s.Faint(reason(i)))
	}
	for _, i := range p.Change {
		t.Row("change", s.Warn(i.Name), s.Plain(i.From+" -> "+i.Version), s.Faint(reason(i)))
	}
	for _, i := range p.Mend {
		t.Row("mend", s.Warn(i.Name), s.Plain(i.Version), s.Faint(i.Why))
	}
	for _, i := range p.Remove {
		t.Row("remove", s.Bad(i.Name), s.Plain(i.From), s.Faint(reason(i)))
	}
	for n, d := range p.Drop {
		if n == 8 && len(p.Drop) > 9 {
			t.Line("drop", s.Faint(fmt.Sprintf("and %d more files that belong to nothing", len(p.Drop)-8)))
			break
		}
		t.Line("drop", s.Bad(d), s.Faint("belongs to nothing"))
	}
	for _, i := range p.Provided {
		t.Row("seen", s.Plain(i.Name), s.Plain(i.Version), s.Faint("from the base, stays as it is"))
	}
	if n := len(p.Add) + len(p.Change) + len(p.Mend); n > 0 {
		s.sources(t, p)
	}
	if p.Empty() {
		t.Line("keep", s.Plain(Count(p.Kept, "package")+", nothing to change"))
	}
	t.Print()
}

func (s *Screen) sources(t *Sheet, p *operation.Plan) {
	from := map[string]bool{}
	var names []string
	fetch, here := 0, 0
	for _, list := range [][]operation.Item{p.Add, p.Change, p.Mend} {
		for _, i := range list {
			if i.Index != "" && !from[i.Index] {
				from[i.Index] = true
				names = append(names, i.Index)
			}
			if i.Here {
				here++
			} else {
				fetch++
			}
		}
	}
	var parts []string
	if fetch > 0 {
		parts = append(parts, fmt.Sprintf("%s to fetch, %s", Count(fetch, "file"), Bytes(p.Fetch)))
	}
	if here > 0 {
		parts = append(parts, fmt.Sprintf("%s here already", Count(here, "file")))
	}
	text := strings.Join(parts, "; ")
	if len(names) > 0 {
		text = strings.Join(names, ", ") + ": " + text
	}
	t.Line("from", s.Plain(text))
	if p.SampleOnly {
		t.Line("", s.Faint("the built-in sample was used: no index is set up"))
	}
}

func reason(i operation.Item) string {
	switch {
	case i.Asked:
		return "asked for"
	case len(i.NeededBy) > 0:
		return "for " + some(i.NeededBy)
	}
	return ""
}

// some names at most three.
func some(list []string) string {
	if len(list) > 3 {
		return fmt.Sprintf("%s and %d more", strings.Join(list[:2], ", "), len(list)-2)
	}
	return strings.Join(list, ", ")
}

// Outcome says in one line what was done.
func (s *Screen) Outcome(o *operation.Outcome) {
	for _, w := range o.Warnings {
		s.Note(w)
	}
	if !o.Done {
		return
	}
	t := s.Sheet()
	for _, w := range o.Wrote {
		t.Line("wrote", s.Plain(s.Path(w)))
	}
	for _, f := range o.Plan.Structure {
		t.Line("mended", s.Plain(f))
	}
	if !o.Plan.Empty() {
		t.Line("done", s.Plain(strings.Join(changes(o), ", ")))
	}
	t.Print()
}

func changes(o *operation.Outcome) []string {
	var parts []string
	for _, c := range []struct {
		n    int
		what string
	}{{len(o.Plan.Add), "added"}, {len(o.Plan.Change), "changed"}, {len(o.Plan.Mend), "mended"}, {len(o.Plan.Remove), "removed"}} {
		if c.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", c.n, c.what))
		}
	}
	if n := len(o.Plan.Drop); n > 0 {
		parts = append(parts, Count(n, "file")+" dropped")
	}
	if len(parts) == 0 {
		parts = append(parts, "made, empty")
	}
	if o.Fetched > 0 {
		parts = append(parts, Bytes(o.Fetched)+" fetched")
	}
	return append(parts, Took(o.Took))
}

// Took is a duration in words: "4 ms", "1.25 s", "12 s", "3 min 10 s".
func Took(d time.Duration) string {
	switch {
	case d < time.Second:
		return fmt.Sprintf("%d ms", max(1, d.Milliseconds()))
	case d < 10*time.Second:
		return fmt.Sprintf("%.2f s", d.Seconds())
	case d < time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	}
	return fmt.Sprintf("%d min %d s", int(d.Minutes()), int(d.Seconds())%60)
}
