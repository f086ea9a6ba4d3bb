package operation

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"

	"glassjar/core/near"
	"glassjar/core/start"
)

// NoFileError says that a command was named by a path, and nothing is there.
type NoFileError struct {
	Name string
	// NoFolder is the folder that it would be in, where that is not there either.
	NoFolder string
	// Near is what is there and called nearly so, as one would type it.
	Near []string
}

func (e *NoFileError) Error() string { return "there is no file " + e.Name }

// CannotRunError says that a file is there and the system does not start it.
type CannotRunError struct {
	Path string
	// Interpreter is the program that its first line names, where that is not there.
	Interpreter string
	Err         error
}

func (e *CannotRunError) Error() string { return e.Path + " cannot be run: " + e.Err.Error() }
func (e *CannotRunError) Unwrap() error { return e.Err }

// CannotRun tells more about a program that the system did not start.
func CannotRun(path string, err error) *CannotRunError {
	for fault := (*fs.PathError)(nil); errors.As(err, &fault); {
		err = fault.Err // which path it is is told already
	}
	e := &CannotRunError{Path: path, Err: err}
	if errors.Is(err, fs.ErrNotExist) && isFile(path) {
		e.Interpreter = wantedProgram(path)
	}
	return e
}

// wantedProgram is the program by which a script wants to be run, as its first line names it.
func wantedProgram(path string) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer func() { _ = f.Close() }() // it was read only
	const longest = 512              // more than systems look at
	line, _ := bufio.NewReader(io.LimitReader(f, longest)).ReadBytes('\n')
	program, is := bytes.CutPrefix(line, []byte("#!"))
	if !is {
		return ""
	}
	words := strings.FieldsFunc(string(program), func(r rune) bool { return r == ' ' || r == '\t' || r == '\n' })
	return strings.Join(words[:min(1, len(words))], "")
}

// cannotFind says why a command that was named by a path is not one; nil where it is a name.
func (m *Machine) cannotFind(name string, err error) error {
	if !strings.ContainsAny(name, "/"+string(filepath.Separator)) && !start.IsScript(name) {
		return nil
	}
	file := m.absolute(name)
	switch _, fault := os.Lstat(file); {
	case fault == nil && !errors.Is(err, exec.ErrNotFound):
		for inner := (*exec.Error)(nil); errors.As(err, &inner); {
			err = inner.Err
		}
		return CannotRun(file, err)
	case errors.Is(fault, fs.ErrNotExist), errors.Is(fault, syscall.ENOTDIR):
		e := &NoFileError{Name: name, Near: nearFiles(name, file)}
		if info, err := os.Stat(filepath.Dir(file)); err != nil || !info.IsDir() {
			e.NoFolder = filepath.Dir(file)
		}
		return e
	}
	return nil
}

// nearFiles are the files of the same folder that are called nearly so.
func nearFiles(name, file string) []string {
	there, err := os.ReadDir(filepath.Dir(file))
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range there {
		if !e.IsDir() {
			names = append(names, e.Name())
		}
	}
	names = near.Names(filepath.Base(file), names)
	for i, n := range names {
		names[i] = strings.TrimSuffix(name, filepath.Base(file)) + n
	}
	return names
}
