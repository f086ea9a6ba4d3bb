package store_test

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/store"
)

func sumOf(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:])
}

func TestAdd(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	sum, path, err := s.Add(context.Background(), "a.whl", "", strings.NewReader("apples"))
	require.NoError(t, err)
	assert.Equal(t, sumOf("apples"), sum)
	have, ok := s.Package(sum)
	assert.True(t, ok)
	assert.Equal(t, path, have)

	// What is not what was announced is not kept.
	var bad *store.HashError
	_, _, err = s.Add(context.Background(), "a.whl", sumOf("pears"), strings.NewReader("quinces"))
	require.ErrorAs(t, err, &bad)
	assert.Equal(t, "a.whl", bad.File)
	_, ok = s.Package(sumOf("pears"))
	assert.False(t, ok)
	_, ok = s.Package(sumOf("quinces"))
	assert.False(t, ok)

	// Nor what is cut short by the user.
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, _, err = s.Add(ended, "a.whl", "", strings.NewReader("medlars"))
	assert.ErrorIs(t, err, context.Canceled)
	left, err := filepath.Glob(filepath.Join(s.Dir, "packages", ".coming-*"))
	require.NoError(t, err)
	assert.Empty(t, left)

	for _, name := range []string{"", "../../etc/passwd", strings.ToUpper(sum), sum[:10]} {
		_, ok := s.Package(name)
		assert.False(t, ok, name)
	}
}

func TestManyAtOnce(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	var group sync.WaitGroup
	for range 16 {
		group.Add(1)
		go func() {
			defer group.Done()
			_, path, err := s.Add(context.Background(), "a", sumOf("apples"), strings.NewReader("apples"))
			assert.NoError(t, err)
			data, err := os.ReadFile(path)
			assert.NoError(t, err)
			assert.Equal(t, "apples", string(data))
		}()
	}
	group.Wait()
}

func TestCheckDropsWhatIsDamaged(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	sum, path, err := s.Add(context.Background(), "a", "", strings.NewReader("apples"))
	require.NoError(t, err)
	require.NoError(t, s.Check(sum))
	require.NoError(t, os.WriteFile(path, []byte("worms"), 0o644))
	var bad *store.HashError
	assert.ErrorAs(t, s.Check(sum), &bad)
	_, ok := s.Package(sum)
	assert.False(t, ok)
	assert.ErrorIs(t, s.Check(sum), os.ErrNotExist)
}

// What is kept can be listed; what a kill left half done is swept away.
func TestAllAndSweep(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	all, err := s.All()
	require.NoError(t, err)
	assert.Empty(t, all)
	s.Sweep()
	sum, path, err := s.Add(context.Background(), "a.whl", "", strings.NewReader("cider"))
	require.NoError(t, err)
	dir := filepath.Join(s.Dir, "packages")
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".coming-1"), []byte("half"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".coming-1.lock"), nil, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "notes.txt"), nil, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, sum[:2], "stray"), nil, 0o644))
	s.Sweep()
	assert.NoFileExists(t, filepath.Join(dir, ".coming-1"))
	assert.NoFileExists(t, filepath.Join(dir, ".coming-1.lock"))
	all, err = s.All()
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, sum, all[0].SHA256)
	assert.Equal(t, path, all[0].Path)
	assert.Equal(t, int64(5), all[0].Size)
	assert.WithinDuration(t, time.Now(), all[0].Used, time.Minute)
}
