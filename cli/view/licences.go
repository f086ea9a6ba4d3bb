package view

import (
	"maps"
	"slices"
	"strings"

	"glassjar/core/licence"
	"glassjar/core/operation"
)

// Licences lists licences with what is under each, and what the spec does not allow.
func (s *Screen) Licences(l *operation.Licences) {
	t := s.Sheet()
	for i, of := range l.Of {
		if i > 0 {
			t.Gap()
		}
		s.licencesOf(t, of)
	}
	if len(l.Of) == 0 {
		t.Line("of", s.Plain("no jar and no record is known here"))
	}
	t.Print()
}

func (s *Screen) licencesOf(t *Sheet, of operation.LicencesOf) {
	label, name := "jar", of.Jar
	if of.InRecord {
		label, name = "record", of.Record
	}
	if of.InRecord {
		t.Line(label, s.Bold(s.Path(name)), s.Faint(Count(len(of.Packages), "package")))
	} else {
		t.Line(label, s.Bold(s.Jar(name)), s.Faint(Count(len(of.Packages), "package")))
	}
	if of.Err != nil {
		t.Line("error", s.Bad(s.Words("read it", of.Err).What))
		return
	}
	by := map[string][]operation.LicensedPackage{}
	for _, p := range of.Packages {
		by[p.String()] = append(by[p.String()], p)
	}
	for _, clear := range []bool{true, false} {
		for _, name := range slices.Sorted(maps.Keys(by)) {
			if by[name][0].Clear() == clear {
				s.licence(t, name, by[name])
			}
		}
	}
	refused := 0
	for _, p := range of.Packages {
		if !p.Allowed {
			refused++
		}
	}
	switch {
	case len(of.Allowed) == 0:
	case refused == 0:
		t.Line("allowed", s.Good("all of them"), s.Faint(strings.Join(of.Allowed, ", ")))
	default:
		t.Line("refused", s.Bad(Count(refused, "package")), s.Faint("the spec allows "+strings.Join(of.Allowed, ", ")))
	}
}

// licence is one licence with the packages under it; with --verbose each with its files.
func (s *Screen) licence(t *Sheet, name string, list []operation.LicensedPackage) {
	cell, label := s.Plain(name), "under"
	if !list[0].Clear() {
		cell, label = s.Warn(name), "unclear"
	}
	var names []string
	for _, p := range list {
		one := p.Name + " " + p.Version
		if !p.Allowed {
			one += " (not allowed)"
		}
		names = append(names, one)
	}
	if !s.Verbose {
		t.Row(label, cell, s.Plain(strings.Join(names, ", ")))
		return
	}
	for i, p := range list {
		note := map[string]string{licence.FromWords: "its words: " + p.Words, licence.FromClassifier: "its classifiers: " + p.Words, licence.FromSpec: "the spec says so"}[p.From]
		t.Row(label, cell, s.Plain(names[i]), s.Faint(note), s.Faint(strings.Join(p.Files, ", ")))
	}
}
