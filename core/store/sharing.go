package store

import (
	"os"
	"path/filepath"

	"github.com/gofrs/flock"
)

// lockFile is held by all who take from the store or bring into it, together, and
// by one who tidies it, alone.
const lockFile = "lock"

// Share keeps others from tidying the store until release is called. A store that
// cannot be written to is not tidied either.
func (s *Store) Share() (release func()) {
	if os.MkdirAll(s.Dir, 0o755) != nil {
		return func() {}
	}
	hold := flock.New(filepath.Join(s.Dir, lockFile), flock.SetPermissions(0o644))
	if hold.RLock() != nil {
		return func() {}
	}
	return func() { _ = hold.Unlock() }
}

// Alone waits until nobody uses the store, and keeps others out until release is
// called. busy, if set, is called once before it waits; its error ends it.
func (s *Store) Alone(busy func() error) (release func(), err error) {
	if err := os.MkdirAll(s.Dir, 0o755); err != nil {
		return nil, err
	}
	hold := flock.New(filepath.Join(s.Dir, lockFile), flock.SetPermissions(0o644))
	ok, err := hold.TryLock()
	if err == nil && !ok && busy != nil {
		err = busy()
	}
	if err == nil && !ok {
		err = hold.Lock()
	}
	if err != nil {
		return nil, err
	}
	return func() { _ = hold.Unlock() }, nil
}
