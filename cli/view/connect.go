package view

import (
	"strings"

	"glassjar/core/leaks"
	"glassjar/core/operation"
)

// Connection shows what would be written, as differences.
func (s *Screen) Connection(c *operation.Connection) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(c.Jar)))
	for _, e := range c.Edits {
		switch {
		case e.Gone:
			t.Line("remove", s.Bad(s.Path(e.File)))
		case e.New:
			t.Line("new", s.Good(s.Path(e.File)))
		default:
			t.Line("change", s.Warn(s.Path(e.File)))
		}
		for _, l := range strings.Split(e.Diff, "\n") {
			switch {
			case strings.HasPrefix(l, "diff "), strings.HasPrefix(l, "--- "), strings.HasPrefix(l, "+++ "), strings.HasPrefix(l, "@@"):
			case strings.HasPrefix(l, "+"):
				t.Line("", s.Good(l))
			case strings.HasPrefix(l, "-"):
				t.Line("", s.Bad(l))
			}
		}
		for _, k := range e.Left {
			t.Line("stays", s.Plain(k), s.Faint("it was changed since"))
		}
	}
	if len(c.Edits) == 0 {
		t.Line("keep", s.Plain("all is written already"))
		s.lacks(t, c)
	}
	t.Print()
}

// Connected tells what was written.
func (s *Screen) Connected(c *operation.Connection, planOnly bool) {
	if len(c.Edits) == 0 {
		s.Connection(c)
		return
	}
	if !c.Done {
		if !planOnly {
			s.Say("nothing was changed")
		}
		return
	}
	t := s.Sheet()
	for _, e := range c.Edits {
		label := "wrote"
		if e.Gone {
			label = "gone"
		}
		t.Line(label, s.Plain(s.Path(e.File)))
	}
	for _, n := range c.Next {
		t.Line("next", s.Plain(n))
	}
	s.lacks(t, c)
	t.Print()
}

// lacks says what the jar needs for what was connected.
func (s *Screen) lacks(t *Sheet, c *operation.Connection) {
	if c.Lacks != "" {
		t.Line("lacks", s.Warn(c.Lacks), s.Faint("glassjar install "+c.Lacks+" --jar "+s.typed(c.Jar)))
	}
}

// Strays lists packages in the user's own site folders.
func (s *Screen) Strays(x *leaks.Strays) {
	t := s.Sheet()
	for _, f := range x.Folders {
		label, words := "stray", "seen by every Python "+f.Python+" that is not sealed off"
		switch {
		case f.Away:
			label, words = "away", "put away; glassjar strays bring-back"
		case f.Moved != "":
			label, words = "back", "brought back"
		}
		t.Line(label, s.Bold(s.Path(f.Folder)), s.Faint(words))
		for _, h := range f.Holds {
			t.Line("", s.Plain(h))
		}
	}
	if len(x.Folders) == 0 {
		t.Line("stray", s.Plain("none: your own site folders hold nothing"))
	}
	if x.Strays > 0 {
		t.Line("try", s.Plain("glassjar strays put-away"))
	}
	t.Print()
}
