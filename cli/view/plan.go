package view

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"glassjar/core/index"
	"glassjar/core/operation"
	"glassjar/core/plan"
)

// Plan shows what a command will do.
func (s *Screen) Plan(p *plan.Plan) {
	t := s.Sheet()
	verb := ""
	if p.Create {
		verb = " (to be made)"
	}
	t.Line("jar", s.Bold(s.Jar(p.Jar)+verb), s.Faint(p.Python))
	if p.Moves != "" {
		t.Line("python", s.Warn(p.Moves+" -> "+p.Python))
	}
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
	for _, b := range p.Behind {
		t.Row("stays", s.Plain(b.Name), s.Plain(b.Fits), s.Faint("newest is "+b.Newest+": "+held(b)))
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
	if n := len(p.Add) + len(p.Change) + len(p.Mend); n > 0 && p.FromFiles() {
		s.sources(t, p)
	}
	for _, n := range p.Notes {
		t.Line("note", s.Warn(n))
	}
	for _, l := range p.Unserved {
		t.Line("note", s.Warn("the record will not serve "+targets(l.Targets)), s.Faint(l.Why))
	}
	s.passedOver(t, p.PassedOver)
	if p.Empty() {
		t.Line("keep", s.Plain(Count(p.Kept, "package")+", nothing to change"))
	}
	t.Print()
}

func (s *Screen) sources(t *Sheet, p *plan.Plan) {
	from := map[string]bool{}
	var names []string
	fetch, here := 0, 0
	for _, list := range [][]plan.Item{p.Add, p.Change, p.Mend} {
		for _, i := range list {
			if i.Index != "" && !from[i.Index] {
				from[i.Index] = true
				names = append(names, i.Index)
			}
			switch {
			case i.Build != "" && i.Build != plan.FromArchive: // nothing is fetched for it
			case i.Here:
				here++
			default:
				fetch++
			}
		}
	}
	var parts []string
	if fetch > 0 {
		parts = append(parts, Count(fetch, "file")+" to fetch"+ofSize(p.Fetch))
	}
	if here > 0 {
		parts = append(parts, Count(here, "file")+" here already"+ofSize(p.HereBytes))
	}
	text := strings.Join(parts, "; ")
	if len(names) > 0 {
		text = strings.Join(names, ", ") + ": " + text
	}
	if text != "" {
		t.Line("from", s.Plain(text))
	}
	if p.SampleOnly {
		t.Line("", s.Faint(sampleOnly))
	}
}

func reason(i plan.Item) string {
	why := reasonAlone(i)
	if i.Build != "" {
		why += ", built from " + builtFrom[i.Build]
	}
	if len(i.Edited) > 0 {
		why += ", with what was changed here: " + some(i.Edited)
	}
	return strings.TrimPrefix(why, ", ")
}

var builtFrom = map[string]string{plan.FromArchive: "source", plan.FromFolder: "a folder", plan.FromFolderEditable: "a folder, editable", plan.FromRepository: "a repository"}

func reasonAlone(i plan.Item) string {
	switch {
	case i.Asked:
		return "asked for"
	case len(i.NeededBy) > 0:
		return "for " + some(i.NeededBy)
	case i.Why != "":
		return i.Why
	}
	return ""
}

// passedOver lists package files that were not considered.
func (s *Screen) passedOver(t *Sheet, list []index.PassedOver) {
	if !s.Verbose {
		return
	}
	for _, p := range list {
		t.Line("passed", s.Warn(p.File), s.Faint(p.Why))
	}
}

// held says what keeps a distribution from its newest version.
func held(b plan.Behind) string {
	var parts []string
	for _, h := range b.Held {
		switch h.By {
		case plan.HeldBySpec:
			parts = append(parts, "asked for as "+h.Range+", "+h.Detail)
		case plan.HeldByHold:
			parts = append(parts, "held at "+h.Range+": "+h.Detail)
		case plan.HeldByPython:
			parts = append(parts, "it is for Python "+h.Detail)
		case plan.HeldByFiles:
			parts = append(parts, "it is published for other systems or Pythons only")
		case plan.HeldBySource:
			parts = append(parts, "it is published as source only")
		case plan.HeldByYank:
			parts = append(parts, strings.TrimSuffix("it was withdrawn: "+h.Detail, ": "))
		case plan.HeldByUnread:
			parts = append(parts, "it cannot be read: "+h.Detail)
		case plan.HeldByTogether:
			parts = append(parts, strings.TrimSuffix("it does not fit with the others: "+h.Detail, ": "))
		default:
			parts = append(parts, h.By+" "+h.Detail+" needs "+h.Range)
		}
	}
	return strings.Join(parts, "; ")
}

// Outdated shows what has newer versions.
func (s *Screen) Outdated(o *operation.Outdated) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(o.Jar)), s.Faint(Count(o.Looked, "package")+" looked at"))
	moves := 0
	for _, b := range o.Behind {
		fits, note := s.Faint("stays"), held(b)
		if b.Fits != b.Version {
			fits = s.Good("fits " + b.Fits)
			moves++
		}
		t.Row("behind", s.Bold(b.Name), s.Plain("here "+b.Version), fits, s.Plain("newest "+b.Newest), s.Faint(note))
	}
	for _, n := range o.Notes {
		t.Line("note", s.Warn(n))
	}
	switch {
	case len(o.Behind) == 0:
		t.Line("behind", s.Plain("nothing: all are the newest"))
	case moves > 0:
		t.Line("try", s.Plain("glassjar upgrade"))
	}
	if o.SampleOnly {
		t.Line("", s.Faint(sampleOnly))
	}
	t.Print()
}

const sampleOnly = "the built-in sample was used: no index is set up"

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
		if slices.Contains(o.Plan.Notes, w) {
			continue // said already
		}
		s.Note(w)
	}
	if !o.Done {
		return
	}
	t := s.Sheet()
	s.signed(t, o.Signed)
	for _, w := range o.Wrote {
		t.Line("wrote", s.Plain(s.Path(w)))
	}
	for _, r := range o.Removed {
		t.Line("removed", s.Plain(s.Path(r)))
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
	switch {
	case len(parts) > 0:
	case o.Plan.Moves != "":
		parts = append(parts, "the jar has "+o.Plan.Python+" now")
	default:
		parts = append(parts, "made, empty")
	}
	if o.Fetched > 0 {
		parts = append(parts, Bytes(o.Fetched)+" fetched")
	}
	if n := o.Plan.HereBytes; n > 0 {
		parts = append(parts, Bytes(n)+" were here")
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

// ofSize is a number of bytes behind what has them; nothing where an index does not tell sizes.
func ofSize(bytes int64) string {
	if bytes == 0 {
		return ""
	}
	return ", " + Bytes(bytes)
}
