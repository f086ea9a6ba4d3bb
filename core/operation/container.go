package operation

import (
	"context"
	"debug/elf"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/connect"
	"glassjar/core/project"
)

// ContainerOptions say what an image is made of.
type ContainerOptions struct {
	Jar string
	// Base is the image to begin from; empty for one with the jar's Python.
	Base string
	// Program is this program built for the image's system; empty for this one.
	Program string
}

// ConnectContainer writes the files that make an image with the project's jar:
// from the record, so that the jar need not be there.
func (m *Machine) ConnectContainer(ctx context.Context, opt ContainerOptions, decide func(*Connection) (bool, error)) (*Connection, error) {
	place, err := m.Locate(opt.Jar, true)
	var none *NoJarError
	if err != nil && !(errors.As(err, &none) && place.Project != "") {
		return nil, err
	}
	if place.Project == "" {
		return nil, usage("%s belongs to no project, so there is nothing to put into an image", "stand in a project with a record", place.Root)
	}
	release, err := m.hold(ctx, place)
	if err != nil {
		return nil, err
	}
	defer release()
	record, err := project.ReadRecord(place.RecordFile)
	if err != nil {
		return nil, err
	}
	program, err := m.imageProgram(opt.Program)
	if err != nil {
		return nil, err
	}
	made := connect.Container{Name: place.Prompt(), Base: opt.Base, Record: filepath.Base(place.RecordFile), Files: []string{filepath.Base(place.RecordFile)}}
	if made.Base == "" {
		made.Base = "python:" + m.imagePython(place, record) + "-slim"
	}
	if place.Exists() {
		if j, err := m.open(place); err == nil {
			made.Groups, made.Extras = j.State.Parts.Groups, j.State.Parts.Extras
		}
	}
	c := &Connection{Jar: place.Root, Edits: []FileEdit{}}
	for _, f := range made.Write() {
		if err := c.addContainerFile(filepath.Join(place.Project, filepath.FromSlash(f.Path)), []byte(f.Text)); err != nil {
			return nil, err
		}
	}
	c.addProgram(filepath.Join(place.Project, "container", "glassjar"), program)
	c.Next = containerSteps(record)
	_, err = c.carryOut(m, decide)
	return c, err
}

func containerSteps(record *project.Record) []string {
	steps := []string{"build the image from this folder, with any builder of OCI images"}
	for _, p := range record.Packages {
		for _, f := range p.Wheels {
			if f.Path != "" || strings.HasPrefix(f.URL, "file:") || strings.HasPrefix(f.URL, "sample:") && p.Index != "sample:" {
				return append(steps, fmt.Sprintf("%s comes from a file of this machine: put it where the build finds it", p.Name))
			}
		}
	}
	return steps
}

// imagePython is the minor version that the image is to have: the jar's, else
// the newest that the record serves.
func (m *Machine) imagePython(place Place, record *project.Record) string {
	if j, err := m.open(place); err == nil {
		l := j.Layout()
		return fmt.Sprintf("%d.%d", l.Major, l.Minor)
	}
	for minor := 14; minor > 6; minor-- {
		for _, e := range record.Environments {
			t := Target{OS: "linux", Arch: "x86_64", Major: 3, Minor: minor}
			if e.Holds(t.environment().markers) {
				return fmt.Sprintf("3.%d", minor)
			}
		}
	}
	return "3"
}

// imageProgram reads the program that goes into the image; it must be one for
// Linux that needs no library.
func (m *Machine) imageProgram(file string) ([]byte, error) {
	if file == "" {
		var err error
		if file, err = os.Executable(); err != nil {
			return nil, err
		}
	} else if !filepath.IsAbs(file) {
		file = filepath.Join(m.Dir, file)
	}
	try := "build it for the image: CGO_ENABLED=0 GOOS=linux go build -o glassjar-linux ./cmd/glassjar, then --program glassjar-linux"
	f, err := elf.Open(file)
	if err != nil {
		return nil, usage("%s is no program for Linux", try, m.relative(file))
	}
	defer f.Close()
	if libraries, err := f.ImportedLibraries(); err != nil || len(libraries) > 0 {
		return nil, usage("%s needs libraries of the system", try, m.relative(file))
	}
	return os.ReadFile(file)
}

// OtherFileError says that a file stands where one is to be written, and was not
// written by this program.
type OtherFileError struct{ File string }

func (e *OtherFileError) Error() string {
	return e.File + " is there, and was not written by this program"
}

func (c *Connection) addContainerFile(file string, text []byte) error {
	have, err := readIfThere(file)
	if err != nil {
		return err
	}
	if have != nil && !strings.Contains(string(have), connect.Mark) {
		return &OtherFileError{file}
	}
	if string(have) != string(text) {
		c.Edits = append(c.Edits, newEdit(file, have, text))
	}
	return nil
}

func (c *Connection) addProgram(file string, program []byte) {
	have, err := os.ReadFile(file)
	if err == nil && string(have) == string(program) {
		return
	}
	c.Edits = append(c.Edits, FileEdit{File: file, New: err != nil, after: program, mode: 0o755})
}
