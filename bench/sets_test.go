package main

import (
	"archive/zip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// members are those of a folder's wheels, by wheel and name, with their checksums.
func members(t *testing.T, dir string) (all map[string]uint32, bytes int64, wheels int) {
	files, err := filepath.Glob(filepath.Join(dir, "*.whl"))
	require.NoError(t, err)
	all = map[string]uint32{}
	for _, f := range files {
		z, err := zip.OpenReader(f)
		require.NoError(t, err)
		for _, m := range z.File {
			name, _, _ := strings.Cut(filepath.Base(f), "-")
			all[name+" "+m.Name] = m.CRC32
			bytes += int64(m.UncompressedSize64)
		}
		require.NoError(t, z.Close())
	}
	return all, bytes, len(files)
}

// The sets are what they are said to be.
func TestSets(t *testing.T) {
	for _, s := range []set{web, toy} { // the large one is made by the same code
		dir := filepath.Join(t.TempDir(), "wheels")
		require.NoError(t, s.write(dir))
		all, bytes, wheels := members(t, dir)
		assert.Equal(t, s.distributions, wheels, s.name)
		// Each wheel has three files of its own besides, and may round down.
		assert.InDelta(t, s.files+3*wheels, len(all), float64(3*wheels), s.name)
		assert.InEpsilon(t, s.bytes, bytes, 0.2, s.name)
		again := filepath.Join(t.TempDir(), "wheels")
		require.NoError(t, s.write(again))
		same, _, _ := members(t, again)
		assert.Equal(t, all, same, "equal sets have equal members")
	}
}

// The second release differs from the first in one module and in what names the
// version.
func TestSecondRelease(t *testing.T) {
	s := set{"release", 1, 100, 1 << 20, 0}
	first, second := filepath.Join(t.TempDir(), "1"), filepath.Join(t.TempDir(), "2")
	require.NoError(t, s.write(first))
	changed, err := s.again(second)
	require.NoError(t, err)
	a, _, _ := members(t, first)
	b, _, _ := members(t, second)
	var other []string
	for name, sum := range b {
		if a[name] != sum && !strings.Contains(name, ".dist-info/") {
			other = append(other, name)
		}
	}
	assert.Len(t, other, 1)
	assert.Greater(t, changed, int64(100))
	assert.Less(t, changed, int64(1<<20)/10)
}

// The wire is never faster than its rate, however many share it.
func TestWire(t *testing.T) {
	now := time.Now()
	s := &slowly{next: now}
	for range 4 {
		s.wait(t.Context(), rate/1000)
	}
	assert.False(t, s.next.Before(now.Add(3900*time.Microsecond)), "four thousandths of a second's worth")
}

// A file counts once, however many names it has.
func TestSize(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a"), make([]byte, 1000), 0o644))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "deep"), 0o755))
	require.NoError(t, os.Link(filepath.Join(dir, "a"), filepath.Join(dir, "deep", "b")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "deep", "c"), make([]byte, 10), 0o644))
	assert.EqualValues(t, 1010, size(dir))
}

// What a run says itself counts; else all of it does, shared among its works.
func TestTimed(t *testing.T) {
	for _, c := range []struct {
		took, said time.Duration
		times      int
		want       float64
	}{{said: 3 * time.Second, times: 3, want: 1}, {said: time.Second, want: 1}} {
		took, err := timed(func() error { counted = c.said; return nil }, c.times)
		require.NoError(t, err)
		assert.InDelta(t, c.want, took, 1e-9)
	}
	assert.Equal(t, 2.0, median([]float64{9, 1, 2}))
	assert.True(t, wanted("fill", nil))
	assert.True(t, wanted("fill", []string{"fi"}))
	assert.False(t, wanted("fill", []string{"run"}))
}
