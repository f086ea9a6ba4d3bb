package operation

import (
	"bytes"
	"context"
	"path/filepath"
	"slices"

	"glassjar/core/jar"
	"glassjar/core/kernel"
)

// kernels are the specifications by which notebook servers start jars.
func (m *Machine) kernels() *kernel.Kernels {
	return &kernel.Kernels{Notes: filepath.Join(m.Folders.State, "kernels.json"), Write: func(file string, text []byte) error {
		_, err := m.writeIfNew(file, text)
		return err
	}}
}

// ConnectNotebook writes the specification by which a notebook server of the user's runs a jar, or with
// undo removes it. Lacks of the result is the package that the jar needs for it and has not.
func (m *Machine) ConnectNotebook(ctx context.Context, ref string, undo bool, decide func(*Connection) (bool, error)) (*Connection, error) {
	release, err := m.holdProject(ctx, kernel.Folder())
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
	kernels := m.kernels()
	file := kernels.File(id, at.Prompt())
	before, err := readIfThere(file)
	if err != nil {
		return nil, err
	}
	after, err := kernel.Text(j, id, at.Prompt())
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
	return c, kernels.Keep(file, kernel.Note{ID: id, Jar: at.Root, Name: at.Prompt()})
}

// lacksKernel is the package that a jar needs for notebooks and has not, or empty.
func (m *Machine) lacksKernel(ctx context.Context, j *jar.Jar) (string, error) {
	names, err := j.Names()
	if err != nil {
		return "", err
	}
	if slices.ContainsFunc(names, func(n jar.Named) bool { return n.Name == kernel.Package }) {
		return "", nil
	}
	if j.State.SeeSystem {
		if in, err := m.interpreterOf(ctx, j); err == nil {
			if base, err := ofBase(in, true); err == nil && !base[kernel.Package].Version.IsZero() {
				return "", nil
			}
		}
	}
	return kernel.Package, nil
}

// disconnectNotebook removes the specification of a jar, there or not.
func (m *Machine) disconnectNotebook(ref string, decide func(*Connection) (bool, error)) (*Connection, error) {
	at, err := m.Places().Locate(ref, false)
	found, note, ok := m.kernels().Find(jar.IDOf(at.Root), at.Root, ref)
	if !ok {
		if err != nil && ref == "" {
			return nil, err
		}
		if ref == "" {
			ref = m.Places().Called(at)
		}
		return nil, usage(NoNotebook, ref)
	}
	c := &Connection{Jar: note.Jar, Edits: []FileEdit{}}
	before, err := readIfThere(found)
	if err != nil {
		return nil, err
	}
	if before != nil && kernel.Of(found) == note.ID {
		c.Edits = append(c.Edits, newEdit(found, before, nil))
	}
	if _, err := c.carryOut(m, decide); err != nil || !c.Done {
		return c, err
	}
	return c, m.kernels().Forget(found)
}

// seeMoved has what leads to jars from elsewhere lead to where they are now: what is lent of them, and
// their kernels.
func (m *Machine) seeMoved() error {
	if m.kernels().None() && m.lending().None() {
		return nil
	}
	known, err := m.knownJars()
	if err != nil {
		return err
	}
	for _, k := range known {
		if j, err := jar.Open(k.Root); err == nil && m.Places().MayBeUsed(k.Root) {
			m.lending().See(j)
			m.kernels().See(j)
		}
	}
	return nil
}
