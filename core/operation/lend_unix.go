//go:build !windows

package operation

import (
	"os"
	"path/filepath"

	"glassjar/core/jar"
)

// A command that is lent is a symbolic link, over the link of its jar.

// lentLink is what the link of a command says.
func (m *Machine) lentLink(note lentNote) string {
	return filepath.Join(m.lentFolder(), note.ID, "bin", note.Command)
}

// lentIs reports whether what stands at a path is the command that was lent there.
func (m *Machine) lentIs(file string, note lentNote) bool {
	to, err := os.Readlink(file)
	return err == nil && to == m.lentLink(note)
}

// placeLent has a path lead to a command.
func (m *Machine) placeLent(_ *jar.Jar, file string, note lentNote) error {
	return m.link(m.lentLink(note), file)
}

func (m *Machine) removeLent(file string, _ lentNote) error { return os.Remove(file) }

// pointLent has the link of a jar lead to where it is.
func (m *Machine) pointLent(id, root string) error {
	if err := os.MkdirAll(m.lentFolder(), 0o777); err != nil {
		return err
	}
	return m.link(root, filepath.Join(m.lentFolder(), id))
}

// lentRoot is where the jar of an identity is, as far as what is lent of it says; else empty.
func (m *Machine) lentRoot(id string) string {
	to, err := os.Readlink(filepath.Join(m.lentFolder(), id))
	if err != nil {
		return ""
	}
	return to
}

// link makes a symbolic link in one step, in place of one that is there.
func (m *Machine) link(to, at string) error {
	if have, err := os.Readlink(at); err == nil && have == to {
		return nil
	}
	temp, done := m.Making.Begin(at)
	defer done()
	if err := os.Symlink(to, temp); err != nil {
		return err
	}
	if err := os.Rename(temp, at); err != nil {
		_ = os.Remove(temp)
		return err
	}
	return nil
}
