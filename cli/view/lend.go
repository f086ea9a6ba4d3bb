package view

import (
	"errors"
	"maps"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"glassjar/core/lent"
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
		case l.Back && c.State == lent.Changed:
			note = s.Warn("stays: somebody else put it there since")
		case l.Back:
		case c.State == lent.NoJar:
			note = s.Warn("its jar is gone: glassjar lend --back " + c.Jar)
		case c.State == lent.Nothing:
			note = s.Warn("it is not in the jar any more: glassjar lend --back " + c.Jar + " " + c.Name)
		case c.State == lent.Changed:
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

// lendWords are those of what could not be lent, or taken back.
func (s *Screen) lendWords(err error) (Message, bool) {
	var (
		clash   *lent.ClashError
		command *lent.NoCommandError
		nothing *lent.NothingError
	)
	switch {
	case errors.As(err, &clash):
		return s.lentClash(clash), true
	case errors.As(err, &command):
		m := Message{What: command.Error(), Try: []string{"glassjar lend " + filepath.Base(command.Jar) + " lends those of what was asked for"}}
		if len(command.Near) > 0 {
			m.Reasons = []string{"did you mean " + strings.Join(command.Near, " or ") + "?"}
		}
		return m, true
	case errors.As(err, &nothing):
		m := Message{What: nothing.Error(), Try: []string{"glassjar contents --jar " + nothing.Jar + " lists what is in it"}}
		switch others := strings.Join(nothing.Others, ", "); {
		case others != "" && nothing.Lent:
			m.Try = []string{"lent are commands of " + others}
		case others != "":
			m.Try = []string{"name one of those in it: " + others}
		case nothing.Lent:
			m.Try = []string{"glassjar lend --list lists what is"}
		}
		return m, true
	}
	return Message{}, false
}

// lentClash tells what stands where commands would be lent to.
func (s *Screen) lentClash(e *lent.ClashError) Message {
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
