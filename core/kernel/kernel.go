// Package kernel has the specifications by which a notebook server starts jars (Jupyter's messaging
// documents, "Making kernels for Jupyter", "Kernel specs"): a folder for each in the user's own data
// folder, with a kernel.json. Which of them this program wrote is noted by their files, so that they
// follow their jars and nobody else's is changed.
package kernel

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"github.com/adrg/xdg"

	"glassjar/core/internal/keptmap"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
)

// Package is the distribution that a jar needs for it: it has the module that a specification starts.
const Package = "ipykernel"

const module = "ipykernel_launcher"

// specification is a kernel.json.
type specification struct {
	// Argv starts the jar's Python itself: a program between would keep interrupts from it.
	Argv      []string          `json:"argv"`
	Title     string            `json:"display_name"`
	Language  string            `json:"language"`
	Interrupt string            `json:"interrupt_mode"`
	Env       map[string]string `json:"env"`
	Metadata  struct {
		Jar string `json:"glassjar_jar"`
	} `json:"metadata"`
}

// Note is what is noted of a specification: the jar's identity, where it was when the specification
// was written, and its name.
type Note struct {
	ID   string `json:"id"`
	Jar  string `json:"jar"`
	Name string `json:"name"`
}

// Kernel is a specification that this program has written.
type Kernel struct {
	// Name is the jar's, Jar where it is or was, File the specification.
	Name, Jar, File string
	// State is one of the constants.
	State string
}

// States of a specification.
const (
	Fine    = "fine"
	NoJar   = "jar gone"
	Changed = "changed outside"
)

// Folder is where a user's specifications are ("Kernel specs", the user's directory).
func Folder() string {
	if dir := os.Getenv("JUPYTER_DATA_DIR"); dir != "" {
		return filepath.Join(dir, "kernels")
	}
	switch runtime.GOOS {
	case "windows":
		return filepath.Join(os.Getenv("APPDATA"), "jupyter", "kernels")
	case "darwin":
		return filepath.Join(xdg.Home, "Library", "Jupyter", "kernels")
	}
	return filepath.Join(xdg.DataHome, "jupyter", "kernels")
}

// Text is the specification of a jar.
func Text(j *jar.Jar, id, name string) ([]byte, error) {
	l := j.Layout()
	k := specification{Argv: []string{j.Python(), "-m", module, "-f", "{connection_file}"}, Title: fmt.Sprintf("%s (jar, Python %d.%d)", name, l.Major, l.Minor), Language: "python", Interrupt: "signal",
		Env: map[string]string{"VIRTUAL_ENV": j.Root, "PATH": j.Path(l.Scripts()) + string(os.PathListSeparator) + "${PATH}"}}
	k.Metadata.Jar = id
	text, err := json.MarshalIndent(k, "", "  ")
	return append(text, '\n'), err
}

// Of is the identity of the jar that a specification is of; empty for another's.
func Of(file string) string {
	data, err := limits.ReadFile(file, limits.Own)
	var k specification
	if err != nil || json.Unmarshal(data, &k) != nil {
		return ""
	}
	return k.Metadata.Jar
}

// Kernels are the specifications that were written here.
type Kernels struct {
	// Notes is the file that has a [Note] for each.
	Notes string
	// Write writes a file, if it is not so already.
	Write func(file string, text []byte) error
}

func (k *Kernels) notes() map[string]Note { return keptmap.Read[Note](k.Notes) }

// None reports whether there are none.
func (k *Kernels) None() bool { return len(k.notes()) == 0 }

// File is where the specification of a jar is, or goes: one of the jar's name, if nobody else has
// that.
func (k *Kernels) File(id, name string) string {
	notes := k.notes()
	for _, file := range slices.Sorted(maps.Keys(notes)) {
		if notes[file].ID == id && there(file) {
			return file
		}
	}
	plain := strings.ToLower(place.ProjectName(name))
	file := filepath.Join(Folder(), plain, "kernel.json")
	if there(file) && Of(file) != id {
		file = filepath.Join(Folder(), plain+"-"+id[:8], "kernel.json")
	}
	return file
}

// Keep notes a specification that was written; what is gone is forgotten.
func (k *Kernels) Keep(file string, n Note) error {
	return keptmap.Keep(k.Notes, map[string]Note{file: n}, func(file string, _ Note) bool { return !there(file) })
}

// Forget drops the note of a specification.
func (k *Kernels) Forget(file string) error {
	return keptmap.Keep(k.Notes, nil, func(f string, _ Note) bool { return f == file })
}

// Find is the specification of a jar, there or not: by its identity or, where nobody knows that, by
// where it was or what it is called.
func (k *Kernels) Find(id, root, name string) (file string, n Note, ok bool) {
	notes := k.notes()
	for _, file := range slices.Backward(slices.Sorted(maps.Keys(notes))) {
		if n := notes[file]; id != "" && n.ID == id || id == "" && (n.Jar == root || name != "" && n.Name == name) {
			return file, n, true
		}
	}
	return "", Note{}, false
}

// See has the specification of a jar start the jar where it is now.
func (k *Kernels) See(j *jar.Jar) {
	for file, n := range k.notes() {
		if n.ID != j.ID() || n.Jar == j.Root || n.ID == "" || Of(file) != n.ID {
			continue
		}
		text, err := Text(j, n.ID, n.Name)
		if err != nil {
			return
		}
		if k.Write(file, text) == nil { // else the list tells
			_ = k.Keep(file, Note{n.ID, j.Root, n.Name}) // else it is seen again
		}
	}
}

// List has all of them, by file.
func (k *Kernels) List() []Kernel {
	notes := k.notes()
	out := []Kernel{}
	for _, file := range slices.Sorted(maps.Keys(notes)) {
		n := notes[file]
		one := Kernel{Name: n.Name, Jar: n.Jar, File: file, State: Fine}
		switch {
		case Of(file) != n.ID:
			one.State = Changed
		case jar.IDOf(n.Jar) != n.ID:
			one.State = NoJar
		}
		out = append(out, one)
	}
	return out
}

func there(file string) bool {
	_, err := os.Stat(file)
	return !errors.Is(err, fs.ErrNotExist)
}
