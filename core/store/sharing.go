package store

import (
	"context"
	"path/filepath"

	"glassjar/core/lock"
)

// lockFile is held by all who take from the store or bring into it, together, and
// by one who tidies it, alone.
const lockFile = "lock"

// Hold waits until the store can be used as mode says: shared by those who take from
// it or bring into it, exclusive to one who tidies it. The error is as that of
// [lock.Take].
func (s *Store) Hold(ctx context.Context, mode lock.Mode) (release func(), err error) {
	held, err := lock.Take(ctx, filepath.Join(s.Dir, lockFile), mode)
	if err != nil {
		return nil, err
	}
	return held.Release, nil
}
