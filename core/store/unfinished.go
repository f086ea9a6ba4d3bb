package store

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/lock"
)

// What is not whole yet has a name that begins so. Beside it stands a file of the
// same name and ".lock", which is there before it and after it, and is held by
// the process that fills it: so what a killed process left can be told.
const (
	unfinished = ".coming-"
	lockEnding = ".lock"
)

// begin gives a name in a folder for what is to be filled, and what to call once it
// has its place or is given up: that removes what is left of it.
func begin(dir string) (path string, done func(), err error) {
	for range 100 {
		raw := make([]byte, 8)
		_, _ = rand.Read(raw) // never fails
		path = filepath.Join(dir, unfinished+hex.EncodeToString(raw))
		held, err := lock.Try(path+lockEnding, lock.Mode{Unlocked: true})
		if err != nil {
			return "", nil, err
		}
		if held == nil {
			continue // one that sweeps saw it before it was held
		}
		return path, func() {
			os.RemoveAll(path)
			held.Remove()
		}, nil
	}
	return "", nil, &os.PathError{Op: "hold", Path: path + lockEnding, Err: errors.New("it is held by another process")}
}

// Sweep removes what processes that are no more were filling.
func (s *Store) Sweep() {
	for _, folder := range []string{Packages, Contents, Trees, Bytecode} {
		dir := filepath.Join(s.Dir, folder)
		entries, err := os.ReadDir(dir)
		if err != nil {
			continue
		}
		for _, e := range entries {
			if name, ok := strings.CutSuffix(e.Name(), lockEnding); ok && strings.HasPrefix(name, unfinished) {
				s.sweepOne(folder, filepath.Join(dir, name))
			}
		}
	}
}

func (s *Store) sweepOne(folder, path string) {
	held, err := lock.Try(path+lockEnding, lock.Mode{InPlace: true})
	if err != nil || held == nil {
		return // its process is at work
	}
	if folder == Contents {
		s.sweepAnnounced(path)
	}
	if os.RemoveAll(path) == nil {
		held.Remove()
	} else {
		held.Release() // something is still writing there; another time
	}
}

// sweepAnnounced removes those of the announced contents that are not whole.
func (s *Store) sweepAnnounced(note string) {
	text, err := os.ReadFile(note)
	if err != nil {
		return
	}
	for _, name := range strings.Fields(string(text)) {
		if sum, _, _ := strings.Cut(name, "-"); ValidSum(sum) {
			sweepContent(filepath.Join(s.Dir, "files", name[:2], name))
		}
	}
}
