package operation

import (
	"context"
	"errors"
	"path/filepath"
	"time"

	"glassjar/core/jar"
	"glassjar/core/kernel"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/shelf"
)

// States of a jar on the shelf.
const (
	ShelfFine       = "fine"
	ShelfChanged    = "changed outside"
	ShelfOutOfStep  = "out of step"
	ShelfPythonGone = "python gone"
	ShelfGone       = "folder gone"
	ShelfUnreadable = "unreadable"
	ShelfCutOff     = "cut off"
	ShelfStrange    = "not made here"
)

// Shelved is one jar that is known on this machine.
type Shelved struct {
	// Name is that on the shelf, or the project's; Jar its folder.
	Name   string
	Jar    string
	Python string
	// Packages is how many, Size their bytes with all else in the jar, Shared how
	// many of these other places have too.
	Packages int
	Size     int64
	Shared   int64
	// Used is when a command last used it, UTC.
	Used  time.Time
	State string
	// OnShelf tells that it stands on the shelf, InProject that it is a project's.
	OnShelf   bool
	InProject bool
	// OfScripts tells that it is of scripts, Scripts are the files of those that are there.
	OfScripts bool
	Scripts   []string
}

// Shelf is all jars known on this machine.
type Shelf struct {
	Jars []Shelved
	// Away are discarded jars that can still be brought back.
	Away []DiscardedJar
	// Kernels are those of notebooks that were connected.
	Kernels []kernel.Kernel
}

// Shelf lists the jars known on this machine, with stale only those that were
// not used for so many days.
func (m *Machine) Shelf(ctx context.Context, stale int) (*Shelf, error) {
	if err := m.seeMoved(); err != nil {
		return nil, err
	}
	known, err := m.knownJars()
	if err != nil {
		return nil, err
	}
	out := &Shelf{Jars: []Shelved{}, Away: []DiscardedJar{}, Kernels: m.kernels().List()}
	for _, k := range known {
		if stale > 0 && m.now().Sub(k.Used) < time.Duration(stale)*24*time.Hour {
			continue
		}
		out.Jars = append(out.Jars, m.shelved(ctx, k))
	}
	if stale == 0 {
		away, err := m.discarded()
		if err != nil {
			return nil, err
		}
		out.Away = append(out.Away, away...)
	}
	return out, nil
}

// knownJars are those on the list, and those in the shelf's folder that are not.
func (m *Machine) knownJars() ([]shelf.Known, error) {
	var others []shelf.Known
	for _, name := range m.Places().ShelfNames() {
		root := filepath.Join(m.Folders.Shelf, name)
		if !m.Known.Has(root) {
			others = append(others, shelf.Known{Root: root})
		}
	}
	all, err := m.Known.All()
	return append(all, others...), err
}

func (m *Machine) shelved(ctx context.Context, k shelf.Known) Shelved {
	at := m.Places().At(k.Root, place.Named)
	s := Shelved{Name: at.Prompt(), Jar: k.Root, Used: k.Used.UTC(), State: ShelfGone, OnShelf: at.Shelf != "", InProject: at.Project != "", OfScripts: m.ofScripts(k.Root), Scripts: []string{}}
	if s.OfScripts {
		s.Scripts = m.scriptsOf(k.Root)
	}
	if !at.Exists() {
		return s
	}
	j, err := jar.Open(k.Root)
	if err != nil {
		s.State = ShelfUnreadable
		return s
	}
	s.Python = pythonTitle(j)
	s.Size, s.Shared = j.Size()
	installed, err := j.Installed()
	if err != nil {
		s.State = ShelfUnreadable
		return s
	}
	s.Packages, s.State = len(installed), m.shelfState(ctx, j, at, installed)
	if !m.Places().MayBeUsed(k.Root) {
		s.State = ShelfStrange
	}
	if jar.PhaseOf(k.Root) == jar.CutOff {
		s.State = ShelfCutOff
	}
	return s
}

// shelfState looks at what can be told without reading every file.
func (m *Machine) shelfState(ctx context.Context, j *jar.Jar, at place.Place, installed []jar.Installed) string {
	if _, err := j.Base(); err != nil {
		return ShelfPythonGone
	}
	if j.OtherSizes(installed) {
		return ShelfChanged
	}
	spec, err := readSpec(at)
	if err != nil {
		return ShelfUnreadable
	}
	record, err := project.ReadRecord(at.RecordFile)
	switch {
	case errors.Is(err, project.ErrNoRecord):
		return ShelfFine
	case err != nil:
		return ShelfUnreadable
	case m.step(ctx, j, installed, spec, record) != InStep:
		return ShelfOutOfStep
	}
	return ShelfFine
}
