package store

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"strings"

	"github.com/gofrs/flock"
)

// What is not whole yet has a name that begins so. Beside it stands a file of the
// same name and ".lock", which is there before it and after it, and is held by
// the process that fills it: so what a killed process left can be told.
const (
	coming = ".coming-"
	lock   = ".lock"
)

// begin gives a name in a folder for what is to be filled, and what to call once
// it has its place or is given up: that removes what is left of it.
func begin(dir string) (path string, done func(), err error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", nil, err
	}
	for range 100 {
		raw := make([]byte, 8)
		_, _ = rand.Read(raw) // never fails
		path = filepath.Join(dir, coming+hex.EncodeToString(raw))
		hold := flock.New(path + lock)
		ok, err := hold.TryLock()
		if err != nil {
			return "", nil, err
		}
		if ok && same(hold, path+lock) {
			return path, func() {
				os.RemoveAll(path)
				os.Remove(path + lock)
				_ = hold.Unlock()
			}, nil
		}
		_ = hold.Unlock() // a sweeper was faster; another name
	}
	return "", nil, errors.New("the store is being swept without end")
}

// same reports whether a held file still stands at its path: a sweeper may have
// removed it before it was held.
func same(hold *flock.Flock, path string) bool {
	at, err := os.Stat(path)
	if err != nil {
		return false
	}
	held, err := hold.Stat()
	return err == nil && os.SameFile(at, held)
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
			name, ok := strings.CutSuffix(e.Name(), lock)
			if !ok || !strings.HasPrefix(name, coming) {
				continue
			}
			hold := flock.New(filepath.Join(dir, e.Name()))
			if ok, err := hold.TryLock(); err != nil || !ok {
				continue
			}
			if folder == Contents {
				s.sweepAnnounced(filepath.Join(dir, name))
			}
			// Where that fails, something is still writing there; another time.
			if os.RemoveAll(filepath.Join(dir, name)) == nil {
				os.Remove(filepath.Join(dir, e.Name()))
			}
			_ = hold.Unlock()
		}
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
