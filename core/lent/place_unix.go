//go:build !windows

package lent

import (
	"os"
	"path/filepath"

	"glassjar/core/jar"
)

// A command that is lent is a symbolic link, over the link of its jar.

// link is what the link of a command says.
func (l *Lending) link(n note) string {
	return filepath.Join(l.Links, n.ID, "bin", n.Command)
}

// is reports whether what stands at a path is the command that was lent there.
func (l *Lending) is(file string, n note) bool {
	to, err := os.Readlink(file)
	return err == nil && to == l.link(n)
}

// place has a path lead to a command.
func (l *Lending) place(_ *jar.Jar, file string, n note) error {
	return l.symlink(l.link(n), file)
}

func (l *Lending) remove(file string, _ note) error { return os.Remove(file) }

// point has the link of a jar lead to where it is.
func (l *Lending) point(id, root string) error {
	if err := os.MkdirAll(l.Links, 0o777); err != nil {
		return err
	}
	return l.symlink(root, filepath.Join(l.Links, id))
}

// root is where the jar of an identity is, as far as what is lent of it says; else empty.
func (l *Lending) root(id string) string {
	to, err := os.Readlink(filepath.Join(l.Links, id))
	if err != nil {
		return ""
	}
	return to
}

// symlink makes a symbolic link in one step, in place of one that is there.
func (l *Lending) symlink(to, at string) error {
	if have, err := os.Readlink(at); err == nil && have == to {
		return nil
	}
	temp, done := l.Temporary(at)
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
