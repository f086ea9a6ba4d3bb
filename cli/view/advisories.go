package view

import (
	"fmt"
	"strings"
	"time"

	"glassjar/core/operation"
)

// Advisories lists known faults, and what mends them.
func (s *Screen) Advisories(x *operation.Advisories) {
	t := s.Sheet()
	for i, of := range x.Of {
		if i > 0 {
			t.Gap()
		}
		s.advisoriesOf(t, of)
	}
	if len(x.Of) == 0 {
		t.Line("of", s.Plain("no jar and no record is known here"))
	}
	for _, u := range x.Unread {
		t.Line("unread", s.Warn(u))
	}
	if len(x.Databases) > 0 {
		t.Line("looked", s.Faint(fmt.Sprintf("through %s of %s", advisories(x.Known), strings.Join(x.Databases, ", "))))
	}
	t.Print()
}

func advisories(n int) string {
	if n == 1 {
		return "1 advisory"
	}
	return fmt.Sprintf("%d advisories", n)
}

func (s *Screen) advisoriesOf(t *Sheet, of operation.AdvisoriesOf) {
	s.subject(t, of.Subject, Count(of.Looked, "package")+" looked at", of.Err)
	for _, f := range of.Faults {
		s.knownFault(t, f)
	}
	if len(of.Faults) == 0 && of.Err == nil {
		t.Line("found", s.Good("no known fault"))
	}
}

// knownFault is one fault, with the way out of it.
func (s *Screen) knownFault(t *Sheet, f operation.KnownFault) {
	label, cell := "fault", s.Bad(f.Name+" "+f.Version)
	if !f.Open() {
		label, cell = "taken", s.Faint(f.Name+" "+f.Version)
	}
	t.Line(label, cell, s.Plain(strings.Join(f.IDs(), ", ")), s.Warn(strings.ToLower(f.Severity)))
	if f.Summary != "" {
		t.Line("", s.Plain(f.Summary), s.Faint(f.Link))
	}
	switch {
	case f.Ended:
		t.Line("", s.Warn("it was accepted until "+f.Until.Format(time.DateOnly)+": "+f.Accepted))
	case !f.Open():
		t.Line("", s.Faint("accepted until "+f.Until.Format(time.DateOnly)+": "+f.Accepted))
		return
	}
	switch m := f.Mend; {
	case m == nil:
	case m.Fits != "":
		text := "glassjar install '" + f.Name + ">=" + m.Fits + "'"
		moves := "moves nothing else"
		if len(m.Moves) > 0 {
			moves = "moves " + strings.Join(m.Moves, ", ")
		}
		if m.Fits != m.Nearest {
			moves = m.Nearest + " would mend it too, and does not fit; " + moves
		}
		t.Line("mend", s.Good(text), s.Faint(moves))
	case m.Nearest != "":
		t.Line("mend", s.Warn(m.Nearest+" would mend it, and does not fit"), s.Faint(m.Against))
	default:
		t.Line("mend", s.Warn(m.Against))
	}
}
