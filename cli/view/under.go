package view

import (
	"fmt"
	"slices"
	"strings"

	"glassjar/core/operation"
)

// Prefix comes before each line of one of several commands that run at once.
func (s *Screen) Prefix(name string, width int) string {
	return s.faint.Styled(fmt.Sprintf("%-*s |", width, Clean(name))) + " "
}

// maxDiffers is how many versions that differ are named unless more is asked for.
const maxDiffers = 4

// Under is a table of how a command went under several Pythons.
func (s *Screen) Under(u *operation.Under) {
	t := s.Sheet()
	for _, r := range u.Runs {
		result, name := s.Good("0"), r.Python
		switch {
		case r.Err != nil:
			m := s.Words("run", r.Err)
			result = s.Bad(m.What)
			if len(m.Reasons) > 0 {
				result = s.Bad(m.What + ": " + m.Reasons[0])
			}
		case r.Exit != 0:
			result = s.Bad(fmt.Sprintf("exit %d", r.Exit))
		}
		if name == "" {
			name = r.Wish
		}
		if r.Err != nil {
			t.Line("under", s.Bold(name), result)
			continue
		}
		t.Row("under", s.Bold(name), result, s.Plain(Took(r.Took)), s.Faint(s.differs(r)))
	}
	t.Print()
}

// differs names the versions of a run that are not those of most others.
func (s *Screen) differs(r operation.UnderRun) string {
	var list []string
	for name, v := range r.Differs {
		if v == "" {
			list = append(list, "no "+name)
		} else {
			list = append(list, name+" "+v)
		}
	}
	slices.Sort(list)
	if n := len(list); n > maxDiffers && !s.Verbose {
		list = append(list[:maxDiffers], fmt.Sprintf("and %d more; --verbose shows all", n-maxDiffers))
	}
	return strings.Join(list, ", ")
}
