package store_test

import (
	"context"
	"errors"
	"fmt"
	"io"
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

func sources(members ...string) []store.Source {
	var out []store.Source
	for _, m := range members {
		key, text, _ := strings.Cut(m, "=")
		out = append(out, store.Source{Key: key, Executable: strings.HasPrefix(key, "bin/"), Copy: func(to io.Writer) error {
			_, err := io.WriteString(to, text)
			return err
		}})
	}
	return out
}

func numbered(n int) string { return fmt.Sprintf("%064x", n) }

func contents(t *testing.T, dir string) int {
	found, err := filepath.Glob(filepath.Join(dir, "files", "??", "*"))
	require.NoError(t, err)
	return len(found)
}

// Two package files that share contents share files; each is read-only, and a
// program is another file than the same bytes that are none.
func TestTreesShareFiles(t *testing.T) {
	ctx, s := context.Background(), &store.Store{Dir: t.TempDir()}
	_, ok := s.Tree(numbered(1))
	assert.False(t, ok)
	first, err := s.Unpack(ctx, numbered(1), sources("a.py=one", "b.py=two", "bin/run=two"))
	require.NoError(t, err)
	assert.Equal(t, 3, contents(t, s.Dir))
	_, err = s.Unpack(ctx, numbered(2), sources("a.py=one", "c.py=three"))
	require.NoError(t, err)
	assert.Equal(t, 4, contents(t, s.Dir), "a second release adds what it changes")
	again, ok := s.Tree(numbered(1))
	require.True(t, ok)
	path, ok := again.Path("b.py")
	require.True(t, ok)
	same, _ := first.Path("b.py")
	assert.Equal(t, same, path)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "two", string(data))
	for key, mode := range map[string]os.FileMode{"b.py": 0o444, "bin/run": 0o555} {
		path, _ := again.Path(key)
		info, err := os.Stat(path)
		require.NoError(t, err)
		assert.Equal(t, mode, info.Mode().Perm(), key)
	}
	_, ok = again.Path("nowhere.py")
	assert.False(t, ok)
	assert.Len(t, s.Trees(), 2)

	// What is damaged is found, removed, and unpacked anew when it is needed.
	require.NoError(t, os.Chmod(path, 0o644))
	require.NoError(t, os.WriteFile(path, []byte("tow"), 0o644))
	damaged, err := s.CheckTree(numbered(1))
	require.NoError(t, err)
	assert.Len(t, damaged, 1)
	_, ok = s.Tree(numbered(1))
	assert.False(t, ok)
	damaged, err = s.CheckTree(numbered(2))
	require.NoError(t, err)
	assert.Empty(t, damaged)
	_, err = s.Unpack(ctx, numbered(1), sources("a.py=one", "b.py=two", "bin/run=two"))
	require.NoError(t, err)
	damaged, _ = s.CheckTree(numbered(1))
	assert.Empty(t, damaged)
}

// A tree is there whole or not at all; nothing half-made stays.
func TestUnpackFails(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	bad := append(sources("a.py=one"), store.Source{Key: "b.py", Copy: func(io.Writer) error { return errors.New("its hash is another") }})
	_, err := s.Unpack(context.Background(), numbered(1), bad)
	assert.ErrorContains(t, err, "another")
	_, ok := s.Tree(numbered(1))
	assert.False(t, ok)
	left, err := filepath.Glob(filepath.Join(s.Dir, "files", ".coming-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = s.Unpack(ctx, numbered(1), sources("a.py=one"))
	assert.ErrorIs(t, err, context.Canceled)
	for _, damage := range []string{"{", `{"format": 9}`, `{"format": 1, "files": [{"key": "x", "sha256": "../../x"}]}`} {
		file := filepath.Join(s.Dir, "trees", "00", numbered(1)+".json")
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(damage), 0o644))
		_, ok := s.Tree(numbered(1))
		assert.False(t, ok, damage)
	}

	// What a killed process left is swept away.
	dir := filepath.Join(s.Dir, "files", ".coming-dead")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "half"), nil, 0o644))
	require.NoError(t, os.WriteFile(dir+".lock", nil, 0o644))
	s.Sweep()
	assert.NoDirExists(t, dir)
}

// Many unpack the same at once, and all end with the same files.
func TestUnpackAtOnce(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	var group sync.WaitGroup
	for range 16 {
		group.Go(func() {
			tree, err := s.Unpack(context.Background(), numbered(7), sources("a.py=one", "b.py=two", "c.py=three", "d.py=one"))
			if assert.NoError(t, err) {
				_, ok := tree.Path("d.py")
				assert.True(t, ok)
			}
			s.Sweep()
		})
	}
	group.Wait()
	assert.Equal(t, 3, contents(t, s.Dir))
	damaged, err := s.CheckTree(numbered(7))
	require.NoError(t, err)
	assert.Empty(t, damaged)
}

// Tidying leaves what is kept, and what was linked from just now.
func TestDropTrees(t *testing.T) {
	ctx, s := context.Background(), &store.Store{Dir: t.TempDir()}
	for n, members := range [][]string{{"a.py=one", "b.py=two"}, {"a.py=one", "c.py=three"}, {"d.py=four"}} {
		_, err := s.Unpack(ctx, numbered(n), sources(members...))
		require.NoError(t, err)
	}
	old := time.Now().Add(-time.Hour)
	for _, n := range []int{0, 1} {
		require.NoError(t, os.Chtimes(filepath.Join(s.Dir, "trees", "00", numbered(n)+".json"), old, old))
	}
	keep := func(sum string) bool { return sum == numbered(0) }
	files, bytes, err := s.DropTrees(keep, true)
	require.NoError(t, err)
	assert.Equal(t, 1, files)
	assert.Equal(t, int64(len("three")), bytes)
	assert.Equal(t, 4, contents(t, s.Dir), "a plan removes nothing")
	_, _, err = s.DropTrees(keep, false)
	require.NoError(t, err)
	assert.Equal(t, 3, contents(t, s.Dir))
	assert.Len(t, s.Trees(), 2)
	tree, ok := s.Tree(numbered(0))
	require.True(t, ok)
	tree.Use(numbered(0))
	files, _, err = s.DropTrees(func(string) bool { return false }, false)
	require.NoError(t, err)
	assert.Zero(t, files, "both were used a moment ago")
}
