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

// subject is the head of what is told of a jar or a record, and why nothing can be.
func (s *Screen) subject(t *Sheet, of operation.Subject, looked string, err error) {
	if of.OfRecord() {
		t.Line("record", s.Bold(s.Path(of.Record)), s.Faint(looked))
	} else {
		t.Line("jar", s.Bold(s.Jar(of.Jar)), s.Faint(looked))
	}
	if err != nil {
		t.Line("error", s.Bad(s.Words("read it", err).What))
	}
}

func (s *Screen) licencesOf(t *Sheet, of operation.LicencesOf) {
	if s.subject(t, of.Subject, Count(len(of.Packages), "package"), of.Err); of.Err != nil {
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
