package view

import (
	"maps"
	"runtime"
	"slices"

	"glassjar/core/operation"
)

// Lent tells of commands that are lent.
func (s *Screen) Lent(l *operation.Lent) {
	if l.Filled != nil {
		s.Outcome(l.Filled)
		if !l.Filled.Done {
			s.Say("nothing was changed")
			return
		}
	}
	t := s.Sheet()
	label := "lent"
	if l.Back {
		label = "back"
	}
	for _, c := range l.Commands {
		note := s.Faint("")
		switch {
		case l.Back && c.State == operation.LentChanged:
			note = s.Warn("stays: somebody else put it there since")
		case l.Back:
		case c.State == operation.LentNoJar:
			note = s.Warn("its jar is gone: glassjar lend --back " + c.Jar)
		case c.State == operation.LentNothing:
			note = s.Warn("it is not in the jar any more: glassjar lend --back " + c.Jar + " " + c.Name)
		case c.State == operation.LentChanged:
			note = s.Warn("somebody else put it there since")
		case c.Before != "":
			note = s.Warn("the shell finds " + s.Path(c.Before) + " first")
		}
		t.Row(label, s.Bold(c.Name), s.Plain("of "+c.Jar), s.Faint(s.Path(c.Path)), note)
	}
	if len(l.Commands) == 0 {
		t.Line(label, s.Plain("nothing"))
	} else if !l.OnPath && !l.Back {
		t.Line("note", s.Warn("the shell does not look for commands in "+s.Path(l.Folder)))
		line := "export PATH=\"" + l.Folder + ":$PATH\", in your shell's start file"
		if runtime.GOOS == "windows" {
			line = "add it to the variable Path of your account"
		}
		t.Line("try", s.Plain(line))
	}
	t.Print()
}

// lentClash tells what stands where commands would be lent to.
func (s *Screen) lentClash(e *operation.LentClashError) Message {
	m := Message{What: "nothing was lent: there is something else of that name in " + s.Path(e.Folder)}
	tried := map[string]bool{}
	for _, name := range slices.Sorted(maps.Keys(e.By)) {
		by := e.By[name]
		if by == "" {
			m.Reasons = append(m.Reasons, name+" was put there by somebody else, and is left as it is")
			continue
		}
		m.Reasons = append(m.Reasons, name+" is lent of the jar "+by)
		if !tried[by] {
			m.Try = append(m.Try, "glassjar lend --back "+by)
		}
		tried[by] = true
	}
	m.Try = append(m.Try, "or name the commands to lend: glassjar lend JAR COMMAND")
	return m
}
