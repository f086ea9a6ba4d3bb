package view

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"glassjar/core/index"
	"glassjar/core/operation"
	"glassjar/core/plan"
)

// About shows what is known of a distribution.
func (s *Screen) About(a *operation.About) {
	t := s.Sheet()
	t.Line("name", s.Bold(a.Name), s.Plain(a.Described), s.Plain(a.Summary))
	s.aboutHere(t, a)
	for _, l := range []struct{ label, text string }{
		{"state", a.Maturity}, {"licence", a.License}, {"python", a.Python},
		{"import", strings.Join(a.Imports, ", ")}, {"scripts", strings.Join(a.Scripts, ", ")},
	} {
		if l.text != "" {
			t.Line(l.label, s.Plain(l.text))
		}
	}
	if a.Status != "" && a.Status != index.Active {
		t.Line("status", s.Warn(a.Status), s.Faint(a.Reason))
	}
	for _, p := range a.Publishers {
		var claims []string
		for _, key := range slices.Sorted(maps.Keys(p.Claims)) {
			claims = append(claims, key+" "+p.Claims[key])
		}
		t.Line("by", s.Plain(p.Kind), s.Plain(strings.Join(claims, ", ")), s.Faint("as the index says; not verified"))
	}
	for _, at := range a.Tracks {
		t.Line("tracks", s.Faint(at))
	}
	for _, at := range a.Alternates {
		t.Line("also at", s.Faint(at))
	}
	s.aboutNeeds(t, a)
	for _, l := range a.Links {
		t.Line("links", s.Faint(l.Label), s.Plain(l.URL))
	}
	s.aboutReleases(t, a)
	t.Print()
}

// firstLine is what fits beside a label: some publish a licence's whole text.
func firstLine(text string) string {
	line, rest, _ := strings.Cut(strings.TrimSpace(text), "\n")
	if rest != "" {
		line += " ..."
	}
	return line
}

func (s *Screen) aboutHere(t *Sheet, a *operation.About) {
	h := a.Here
	if h == nil {
		t.Line("here", s.Plain("not in the jar"))
		return
	}
	if h.Base {
		t.Line("here", s.Good(h.Version), s.Faint("of the base, seen by "+s.Jar(h.Jar)))
		return
	}
	words := []string{"in " + s.Jar(h.Jar), Bytes(h.Size) + " in " + Count(h.Files, "file")}
	if h.From != "" {
		words = append(words, "from "+h.From)
	}
	t.Line("here", s.Good(h.Version), s.Faint(strings.Join(words, ", ")))
	if h.Asked {
		t.Line("", s.Plain("asked for"))
	}
	for _, w := range h.Warnings {
		t.Line("note", s.Warn(w))
	}
	for _, n := range h.NeededBy {
		t.Line("", s.Plain(n.From+" needs "+strings.TrimSpace(n.To+" "+n.Range)))
	}
}

func (s *Screen) aboutNeeds(t *Sheet, a *operation.About) {
	for _, n := range a.Needs {
		t.Line("needs", s.Plain(n))
	}
	var extras []string
	for e := range a.Extras {
		extras = append(extras, e)
	}
	sort.Strings(extras)
	for _, e := range extras {
		if len(a.Extras[e]) == 0 {
			t.Line("extra", s.Plain(e), s.Faint("adds nothing"))
		}
		for _, n := range a.Extras[e] {
			text, _, _ := strings.Cut(n, ";")
			t.Line("extra", s.Plain(e), s.Faint("adds "+strings.TrimSpace(text)))
		}
	}
}

// maxReleases is how many versions are shown unless more is asked for.
const maxReleases = 8

func (s *Screen) aboutReleases(t *Sheet, a *operation.About) {
	for i, r := range a.Releases {
		if i == maxReleases && len(a.Releases) > maxReleases+1 && !s.Verbose {
			t.Line("has", s.Faint(fmt.Sprintf("and %d older; --verbose shows all", len(a.Releases)-i)))
			break
		}
		version, note := s.Plain(r.Version), ""
		switch r.Unfit {
		case plan.HeldByHold:
			note = "held at " + r.Detail
		case plan.HeldByPython:
			note = "for Python " + r.Detail
		case plan.HeldByFiles:
			note = "for other systems or Pythons"
		case plan.HeldBySource:
			note = "source only"
		case plan.HeldByYank:
			note = strings.TrimSuffix("withdrawn: "+r.Detail, ": ")
		case "pre-release":
			note = "a pre-release"
		}
		if note != "" {
			version = s.Faint(r.Version)
		}
		if r.Here {
			version, note = s.Good(r.Version), strings.TrimSuffix("here; "+note, "; ")
		}
		size := ""
		if r.Size >= 0 {
			size = fmt.Sprintf("%7s", Bytes(r.Size))
		}
		python := ""
		if r.Python != "" {
			python = "Python " + r.Python
		}
		t.Row("has", version, s.Faint(r.Uploaded), s.Faint(size), s.Faint(python), s.Faint(note))
	}
	switch {
	case a.Index != "":
		words := "the index that is asked for it"
		if a.For != "" {
			words += "; what fits is for " + a.For
		}
		t.Line("index", s.Plain(a.Index), s.Faint(words))
	case a.Unasked != "":
		t.Line("index", s.Warn("no answer"), s.Faint(a.Unasked))
	default:
		t.Line("index", s.Plain("none has it"))
	}
}

// Found lists the hits of a search.
func (s *Screen) Found(f *operation.Found) {
	t := s.Sheet()
	for _, h := range f.Hits {
		label := "found"
		if h.Near {
			label = "near"
		}
		state := ""
		if _, word, ok := strings.Cut(h.Maturity, " - "); ok {
			state = word
		}
		t.Row(label, s.Bold(h.Name), s.Plain(h.Version), s.Faint(state), s.Faint(h.Summary))
	}
	words := Count(f.Matches, "match")
	if f.Matches != 1 {
		words = fmt.Sprintf("%d matches", f.Matches)
	}
	words += " of " + Count(f.Names, "name")
	if more := f.Matches - len(f.Hits); more > 0 && f.Looked == 0 {
		words += fmt.Sprintf("; %d are not shown: --limit %d", more, f.Matches)
	}
	if f.Looked > 0 && f.Looked < f.Matches {
		words += fmt.Sprintf("; the first %d were looked at", f.Looked)
	}
	if len(f.Hits) == 0 {
		t.Line("found", s.Plain("nothing"), s.Faint(words))
	} else {
		t.Line("sum", s.Plain(words))
	}
	if f.SampleOnly {
		t.Line("", s.Faint(sampleOnly))
	}
	t.Print()
}
