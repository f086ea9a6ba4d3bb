package operation

import (
	"context"
	"debug/elf"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/connect"
	"glassjar/core/index"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/target"
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
	at, err := m.Places().Locate(opt.Jar, true)
	var none *place.NoJarError
	if err != nil && !(errors.As(err, &none) && at.Project != "") {
		return nil, err
	}
	if at.Project == "" {
		return nil, usage(NoProjectForImage, m.Places().Called(at))
	}
	release, err := m.hold(ctx, at)
	if err != nil {
		return nil, err
	}
	defer release()
	record, err := project.ReadRecord(at.RecordFile)
	if err != nil {
		return nil, err
	}
	program, err := m.imageProgram(opt.Program)
	if err != nil {
		return nil, err
	}
	made := connect.Container{Name: at.Prompt(), Base: opt.Base, Record: filepath.Base(at.RecordFile), Files: []string{filepath.Base(at.RecordFile)}}
	inside, outside := localFiles(at, record)
	made.Files = append(made.Files, inside...)
	for _, e := range record.Packages {
		if e.Directory != nil || e.VCS != nil || e.Archive != nil && index.IsSourceName(e.Archive.FileName()) || e.Sdist != nil && len(e.Wheels) == 0 {
			made.Build = append(made.Build, e.Name)
		}
		if d := e.Directory; d != nil && filepath.IsLocal(filepath.FromSlash(d.Path)) {
			made.Sources = true
		} else if d != nil {
			outside = append(outside, d.Path)
		}
	}
	if made.Base == "" {
		made.Base = "python:" + m.imagePython(at, record) + "-slim"
	}
	if at.Exists() {
		if j, err := m.open(at); err == nil {
			made.Groups, made.Extras = j.State.Parts.Groups, j.State.Parts.Extras
		}
	}
	c := &Connection{Jar: at.Root, Edits: []FileEdit{}}
	for _, f := range made.Write() {
		if err := c.addContainerFile(filepath.Join(at.Project, filepath.FromSlash(f.Path)), []byte(f.Text)); err != nil {
			return nil, err
		}
	}
	c.addProgram(filepath.Join(at.Project, "container", "glassjar"), program)
	for _, f := range outside {
		m.note(OutsideOfImage, f)
	}
	c.Next = []string{"build the image from this folder, with any builder of OCI images"}
	_, err = c.carryOut(m, decide)
	return c, err
}

// localFiles are the package files that a record names and that lie in the project, by
// paths relative to it, and those that lie elsewhere on this machine.
func localFiles(at place.Place, record *project.Record) (inside, outside []string) {
	for _, f := range record.Files() {
		switch rel := filepath.FromSlash(f.Path); {
		case f.Path == "" && strings.HasPrefix(f.URL, "file:"):
			outside = append(outside, f.URL)
		case f.Path == "":
		case !filepath.IsLocal(rel):
			outside = append(outside, f.Path)
		case fileExists(filepath.Join(at.Project, rel)):
			inside = append(inside, f.Path)
		}
	}
	slices.Sort(inside)
	return slices.Compact(inside), outside
}

// imagePython is the minor version that the image is to have: the jar's, else
// the newest that the record serves.
func (m *Machine) imagePython(at place.Place, record *project.Record) string {
	if j, err := m.open(at); err == nil {
		l := j.Layout()
		return fmt.Sprintf("%d.%d", l.Major, l.Minor)
	}
	for minor := target.NewestMinor; minor > 6; minor-- {
		for _, e := range record.Environments {
			t := target.Target{OS: "linux", Arch: "x86_64", Major: 3, Minor: minor}
			if e.Holds(t.Environment().Markers) {
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
		if file, err = OwnProgram(); err != nil {
			return nil, err
		}
	} else {
		file = m.absolute(file)
	}
	f, err := elf.Open(file)
	if err != nil {
		return nil, usage(NoLinuxProgram, m.relative(file))
	}
	defer f.Close()
	if libraries, err := f.ImportedLibraries(); err != nil || len(libraries) > 0 {
		return nil, usage(ProgramNeedsLibraries, m.relative(file))
	}
	return os.ReadFile(file)
}

func (c *Connection) addContainerFile(file string, text []byte) error {
	have, err := readIfThere(file)
	if err != nil {
		return err
	}
	if have != nil && !strings.Contains(string(have), connect.Mark) {
		return &OtherFileError{File: file}
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
