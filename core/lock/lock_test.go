package lock_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/lock"
	_ "glassjar/internal/long"
)

var ctx = context.Background()

func TestSharedAndExclusive(t *testing.T) {
	file := filepath.Join(t.TempDir(), "deep", "lock")
	assert.True(t, lock.Free(file), "one that is not there is free")
	assert.NoFileExists(t, file)
	first, err := lock.Take(ctx, file, lock.Mode{Shared: true})
	require.NoError(t, err)
	second, err := lock.Try(file, lock.Mode{Shared: true})
	require.NoError(t, err)
	require.NotNil(t, second)
	alone, err := lock.Try(file, lock.Mode{})
	require.NoError(t, err)
	assert.Nil(t, alone)
	first.Release()
	second.Release()
	alone, err = lock.Take(ctx, file, lock.Mode{})
	require.NoError(t, err)
	assert.False(t, lock.Free(file))
	alone.Release()
	assert.True(t, lock.Free(file))
	(*lock.Held)(nil).Release()
}

// Waiting is told once, and ends with the context or by who is told.
func TestWaiting(t *testing.T) {
	file := filepath.Join(t.TempDir(), "lock")
	held, err := lock.Take(ctx, file, lock.Mode{})
	require.NoError(t, err)
	told := 0
	ended, cancel := context.WithTimeout(ctx, 100*time.Millisecond)
	defer cancel()
	_, err = lock.Take(ended, file, lock.Mode{Waits: func(waited time.Duration) error {
		if waited == 0 {
			told++
		}
		return nil
	}})
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.Equal(t, 1, told)
	busy := errors.New("busy")
	_, err = lock.Take(ctx, file, lock.Mode{Waits: func(time.Duration) error { return busy }})
	assert.ErrorIs(t, err, busy)
	held.Release()
}

// A lock whose file was removed by who had it keeps others out all the same: they take
// the new file.
func TestRemoved(t *testing.T) {
	file := filepath.Join(t.TempDir(), "lock")
	var inside, most atomic.Int64
	var group sync.WaitGroup
	for range 8 {
		group.Go(func() {
			for range 20 {
				held, err := lock.Take(ctx, file, lock.Mode{})
				if !assert.NoError(t, err) {
					return
				}
				most.Store(max(most.Load(), inside.Add(1)))
				inside.Add(-1)
				held.Remove()
			}
		})
	}
	group.Wait()
	assert.EqualValues(t, 1, most.Load())
	assert.NoFileExists(t, file)
}

func TestDenied(t *testing.T) {
	dir := t.TempDir()
	_, err := lock.Take(ctx, filepath.Join(dir, "gone", "lock"), lock.Mode{InPlace: true})
	assert.ErrorIs(t, err, os.ErrNotExist)
	assert.NoDirExists(t, filepath.Join(dir, "gone"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "file"), nil, 0o644))
	_, err = lock.Take(ctx, filepath.Join(dir, "file", "lock"), lock.Mode{})
	var denied *lock.Error
	require.ErrorAs(t, err, &denied)
	assert.False(t, denied.Unsupported())
	assert.Contains(t, err.Error(), "cannot be locked")
}
