package view

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strings"
	"syscall"

	"glassjar/core/operation"
)

func (s *Screen) noCommand(e *operation.NoCommandError) Message {
	m := Message{What: fmt.Sprintf("there is no command %q in the jar or on PATH", e.Name), Try: []string{"glassjar contents lists what is in the jar"}}
	if len(e.Near) > 0 {
		m.Reasons = append(m.Reasons, "did you mean "+strings.Join(e.Near, " or ")+"?")
	}
	if e.Here {
		m.Reasons = append(m.Reasons, "a file of that name is here; it is named by its path")
		m.Try = []string{"glassjar run ." + string(filepath.Separator) + e.Name}
	}
	switch {
	case e.Group != "":
		m.Reasons = append(m.Reasons, fmt.Sprintf("the group %s brings it, and is not in the jar", e.Group))
		m.Try = []string{"glassjar recreate --group " + e.Group}
	case e.Extra != "":
		m.Reasons = append(m.Reasons, fmt.Sprintf("the extra %s brings it, and is not in the jar", e.Extra))
		m.Try = []string{"glassjar recreate --extra " + e.Extra}
	}
	for _, d := range e.BroughtBy {
		m.Reasons = append(m.Reasons, fmt.Sprintf("the distribution %s brings it", d))
	}
	if len(e.BroughtBy) > 0 {
		m.Try = []string{"glassjar install " + e.BroughtBy[0]}
	}
	return m
}

func (s *Screen) noFile(e *operation.NoFileError) Message {
	m := Message{What: e.Error(), Try: []string{"name one that is there"}}
	if e.NoFolder != "" {
		m.Reasons = append(m.Reasons, "there is no folder "+s.Path(e.NoFolder)+" either")
	}
	if len(e.Near) > 0 {
		m.Reasons = append(m.Reasons, "did you mean "+strings.Join(e.Near, " or ")+"?")
		m.Try = []string{"glassjar run " + e.Near[0]}
	}
	return m
}

func (s *Screen) cannotRun(e *operation.CannotRunError) Message {
	path := s.Path(e.Path)
	m := Message{What: path + " cannot be run", Try: []string{"say what runs it: glassjar run sh " + path}}
	switch {
	case strings.HasSuffix(e.Interpreter, "\r"):
		m.Reasons = []string{"its first line ends as lines do on Windows, and that end is taken for a part of " + strings.TrimSuffix(e.Interpreter, "\r")}
		m.Try = []string{"write its lines as this system ends them"}
	case e.Interpreter != "":
		m.Reasons = []string{fmt.Sprintf("its first line wants it run by %s, which is not there", e.Interpreter)}
	case errors.Is(e.Err, fs.ErrNotExist):
		m.Reasons = []string{"the system's loader that it names is not there: it was made for another system"}
		m.Try = []string{"take the one that is made for this system"}
	case errors.Is(e.Err, syscall.EISDIR):
		m.Reasons = []string{"it is a folder"}
		m.Try = []string{"name a file in it"}
	case errors.Is(e.Err, syscall.ENOEXEC):
		m.Reasons = []string{"it is no program of this system, and has no first line that says what runs it"}
	case errors.Is(e.Err, fs.ErrPermission):
		m.Reasons = []string{"it is not marked as a program, or not for you"}
		m.Try = append(m.Try, "or mark it: chmod +x "+path)
	default:
		m = s.systemWords(e.Err)
		m.What = path + " cannot be run"
	}
	return m
}
