package operation

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"github.com/adrg/xdg"

	"glassjar/core/internal/keptmap"
	"glassjar/core/jar"
	"glassjar/core/place"
)

// A notebook server starts what a kernel specification says (Jupyter's messaging documents, "Making
// kernels for Jupyter", "Kernel specs"): a folder in the user's own data folder with a kernel.json.

// kernelPackage is the distribution that a jar needs for it: it has the module that the specification
// starts.
const (
	kernelPackage = "ipykernel"
	kernelModule  = "ipykernel_launcher"
)

// kernelSpec is a kernel.json.
type kernelSpec struct {
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

// kernelNote is what is noted of a specification, by its file.
type kernelNote struct {
	ID   string `json:"id"`
	Jar  string `json:"jar"`
	Name string `json:"name"`
}

// Kernel is a specification that connect has written.
type Kernel struct {
	// Name is the jar's, Jar where it is or was, File the specification.
	Name, Jar, File string
	// State is one of the constants.
	State string
}

// States of a kernel's specification.
const (
	KernelFine    = "fine"
	KernelNoJar   = "jar gone"
	KernelChanged = "changed outside"
)

// kernelsFolder is where a user's kernel specifications are ("Kernel specs", the user's directory).
func kernelsFolder() string {
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

func (m *Machine) kernelsFile() string { return filepath.Join(m.Folders.State, "kernels.json") }

// ConnectNotebook writes the specification by which a notebook server of the user's runs a jar, or with
// undo removes it. Lacks of the result is the package that the jar needs for it and has not.
func (m *Machine) ConnectNotebook(ctx context.Context, ref string, undo bool, decide func(*Connection) (bool, error)) (*Connection, error) {
	release, err := m.holdProject(ctx, kernelsFolder())
	if err != nil {
		return nil, err
	}
	defer release()
	if undo {
		return m.disconnectNotebook(ref, decide)
	}
	at, err := m.Places().Locate(ref, true)
	if err != nil {
		return nil, err
	}
	j, err := m.openToUse(ctx, at)
	if err != nil {
		return nil, err
	}
	id := j.ID()
	if id == "" {
		id = j.NewID()
	}
	file := m.kernelFile(id, at.Prompt())
	before, err := readIfThere(file)
	if err != nil {
		return nil, err
	}
	after, err := kernelText(j, id, at.Prompt())
	if err != nil {
		return nil, err
	}
	c := &Connection{Jar: at.Root, Edits: []FileEdit{}}
	if !bytes.Equal(before, after) {
		c.Edits = append(c.Edits, newEdit(file, before, after))
	}
	if c.Lacks, err = m.lacksKernel(ctx, j); err != nil {
		return nil, err
	}
	if _, err := c.carryOut(m, decide); err != nil || !c.Done {
		return c, err
	}
	return c, keptmap.Keep(m.kernelsFile(), map[string]kernelNote{file: {id, at.Root, at.Prompt()}}, func(file string, _ kernelNote) bool { return !fileExists(file) })
}

// kernelText is the specification of a jar.
func kernelText(j *jar.Jar, id, name string) ([]byte, error) {
	l := j.Layout()
	k := kernelSpec{Argv: []string{j.Python(), "-m", kernelModule, "-f", "{connection_file}"}, Title: fmt.Sprintf("%s (jar, Python %d.%d)", name, l.Major, l.Minor), Language: "python", Interrupt: "signal",
		Env: map[string]string{"VIRTUAL_ENV": j.Root, "PATH": j.Path(l.Scripts()) + string(os.PathListSeparator) + "${PATH}"}}
	k.Metadata.Jar = id
	text, err := json.MarshalIndent(k, "", "  ")
	return append(text, '\n'), err
}

// kernelFile is where the specification of a jar is, or goes: one of the jar's name, if nobody else has
// that.
func (m *Machine) kernelFile(id, name string) string {
	notes := keptmap.Read[kernelNote](m.kernelsFile())
	for _, file := range sortedNames(notes) {
		if notes[file].ID == id && fileExists(file) {
			return file
		}
	}
	plain := strings.ToLower(place.ProjectName(name))
	file := filepath.Join(kernelsFolder(), plain, "kernel.json")
	if fileExists(file) && kernelOf(file) != id {
		file = filepath.Join(kernelsFolder(), plain+"-"+id[:8], "kernel.json")
	}
	return file
}

// kernelOf is the identity of the jar that a specification is of; empty for another's.
func kernelOf(file string) string {
	data, err := readIfThere(file)
	var k kernelSpec
	if err != nil || json.Unmarshal(data, &k) != nil {
		return ""
	}
	return k.Metadata.Jar
}

// lacksKernel is the package that a jar needs for notebooks and has not, or empty.
func (m *Machine) lacksKernel(ctx context.Context, j *jar.Jar) (string, error) {
	names, err := j.Names()
	if err != nil {
		return "", err
	}
	if slices.ContainsFunc(names, func(n jar.Named) bool { return n.Name == kernelPackage }) {
		return "", nil
	}
	if j.State.SeeSystem {
		if in, err := m.interpreterOf(ctx, j); err == nil {
			if base, err := ofBase(in, true); err == nil && !base[kernelPackage].Version.IsZero() {
				return "", nil
			}
		}
	}
	return kernelPackage, nil
}

// disconnectNotebook removes the specification of a jar, there or not.
func (m *Machine) disconnectNotebook(ref string, decide func(*Connection) (bool, error)) (*Connection, error) {
	notes := keptmap.Read[kernelNote](m.kernelsFile())
	at, err := m.Places().Locate(ref, false)
	root, id := at.Root, jar.IDOf(at.Root)
	found := ""
	for _, file := range sortedNames(notes) {
		if n := notes[file]; id != "" && n.ID == id || id == "" && (n.Jar == root || ref != "" && n.Name == ref) {
			found = file
		}
	}
	if found == "" {
		if err != nil && ref == "" {
			return nil, err
		}
		if ref == "" {
			ref = m.Places().Called(at)
		}
		return nil, usage(NoNotebook, ref)
	}
	c := &Connection{Jar: notes[found].Jar, Edits: []FileEdit{}}
	before, err := readIfThere(found)
	if err != nil {
		return nil, err
	}
	if before != nil && kernelOf(found) == notes[found].ID {
		c.Edits = append(c.Edits, newEdit(found, before, nil))
	}
	if _, err := c.carryOut(m, decide); err != nil || !c.Done {
		return c, err
	}
	return c, keptmap.Keep(m.kernelsFile(), nil, func(file string, _ kernelNote) bool { return file == found })
}

// seeKernel has the specification of a jar start the jar where it is now.
func (m *Machine) seeKernel(j *jar.Jar) {
	notes := keptmap.Read[kernelNote](m.kernelsFile())
	for file, n := range notes {
		if n.ID != j.ID() || n.Jar == j.Root || n.ID == "" || kernelOf(file) != n.ID {
			continue
		}
		text, err := kernelText(j, n.ID, n.Name)
		if err != nil {
			return
		}
		if _, err := m.writeIfNew(file, text); err == nil { // else the shelf tells
			_ = keptmap.Keep(m.kernelsFile(), map[string]kernelNote{file: {n.ID, j.Root, n.Name}}, nil) // else it is seen again
		}
	}
}

// seeMoved has what leads to jars from elsewhere lead to where they are now: what is lent of them, and
// their kernels.
func (m *Machine) seeMoved() error {
	if len(keptmap.Read[kernelNote](m.kernelsFile())) == 0 && m.lending().None() {
		return nil
	}
	known, err := m.knownJars()
	if err != nil {
		return err
	}
	for _, k := range known {
		if j, err := jar.Open(k.Root); err == nil && m.Places().MayBeUsed(k.Root) {
			m.lending().See(j)
			m.seeKernel(j)
		}
	}
	return nil
}

// kernels are the specifications that were written here, by file.
func (m *Machine) kernels() []Kernel {
	notes := keptmap.Read[kernelNote](m.kernelsFile())
	out := []Kernel{}
	for _, file := range sortedNames(notes) {
		n := notes[file]
		k := Kernel{Name: n.Name, Jar: n.Jar, File: file, State: KernelFine}
		switch {
		case kernelOf(file) != n.ID:
			k.State = KernelChanged
		case jar.IDOf(n.Jar) != n.ID:
			k.State = KernelNoJar
		}
		out = append(out, k)
	}
	return out
}
