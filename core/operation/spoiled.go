package operation

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/place"
	"glassjar/core/shelf"
)

// SpoiledError says that something in a jar is not of the kind that it must be, such as a folder in
// the place of a file, so that the jar cannot be changed as it is. Recreate makes it anew.
type SpoiledError struct {
	Jar string
	Err error
}

func (e *SpoiledError) Error() string { return e.Jar + " is spoiled: " + e.Err.Error() }
func (e *SpoiledError) Unwrap() error { return e.Err }

// otherKind are what the system says where a name leads to another kind of thing than it must, or
// to nothing.
var otherKind = []error{syscall.ENOTDIR, syscall.EISDIR, syscall.ELOOP, syscall.EINVAL, fs.ErrExist, fs.ErrNotExist}

// spoiled tells of a jar by the error of a command that changes it; nil for an error that has
// another reason.
func spoiled(root string, err error) *SpoiledError {
	var (
		already *SpoiledError
		no      *jar.NotAJarError
		there   *jar.ExistsError
		locked  *lock.Error
		file    *fs.PathError
		link    *os.LinkError
		system  syscall.Errno
		path    string
	)
	switch {
	case errors.As(err, &already):
		return already
	case errors.As(err, &no):
		path = no.Path
	case errors.As(err, &there) && !there.Jar:
		path, err = there.Path, &jar.NotAJarError{Path: there.Path, Why: "what tells that it is one is gone"}
	case errors.As(err, &locked):
		path = locked.Path
	case errors.As(err, &file):
		path = file.Path
	case errors.As(err, &link):
		path = link.New
	}
	if path == "" || !place.Within(root, path) {
		return nil
	}
	if errors.As(err, &system) && !slices.ContainsFunc(otherKind, func(kind error) bool { return errors.Is(system, kind) }) {
		return nil
	}
	return &SpoiledError{root, err}
}

// standsInItsWay tells of an error where what belongs to nothing keeps a distribution from its place,
// or a folder a file.
func standsInItsWay(err error) bool {
	var clash *jar.ClashError
	return errors.As(err, &clash) && !clash.Own && clash.Old == ""
}

// madeHere reports whether what stands at a place is, or was, a jar: it bears the mark of one, or
// the list of jars has one there.
func (m *Machine) madeHere(root string) bool {
	if info, err := os.Lstat(root); err != nil || !info.IsDir() {
		return false
	}
	known, err := m.Known.All()
	return jar.Exists(root) || err == nil && slices.ContainsFunc(known, func(k shelf.Known) bool { return k.Root == root && k.Made })
}

// plainWhy is an error in words, without what the program did to a path, and with paths as the user
// has them.
func (m *Machine) plainWhy(err error) string {
	var file *fs.PathError
	var link *os.LinkError
	text := err.Error()
	switch {
	case errors.As(err, &file):
		text = file.Path + ": " + file.Err.Error()
	case errors.As(err, &link):
		text = link.New + ": " + link.Err.Error()
	}
	return strings.ReplaceAll(text, m.Dir+string(filepath.Separator), "")
}
