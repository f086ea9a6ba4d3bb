package store_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/lock"
	"glassjar/core/metadata"
	"glassjar/core/store"
)

func sources(members ...string) []store.Source {
	var out []store.Source
	for _, m := range members {
		key, text, _ := strings.Cut(m, "=")
		out = append(out, store.Source{Member: store.Member{Key: key, Executable: strings.HasPrefix(key, "bin/"), Size: int64(len(text)), SHA256: sumOf(text), Hash: recordHash(text)}, Copy: func(to io.Writer) error {
			_, err := io.WriteString(to, text)
			return err
		}})
	}
	return out
}

func recordHash(text string) string { return metadata.RecordHash(sha256.Sum256([]byte(text))) }

func unpack(t *testing.T, s *store.Store, n int, members ...string) *store.Tree {
	tree, err := s.Unpack(context.Background(), numbered(n), []store.Fact{{Key: "name", Value: "press house"}}, sources(members...))
	require.NoError(t, err)
	require.False(t, s.HasTree(numbered(n)))
	require.NoError(t, s.SaveNow())
	require.True(t, s.HasTree(numbered(n)))
	return tree
}

func pathOf(t *testing.T, tree *store.Tree, key string) string {
	m, ok := tree.Find(key)
	require.True(t, ok, key)
	return tree.Path(m)
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
	s := &store.Store{Dir: t.TempDir()}
	_, ok := s.Tree(numbered(1))
	assert.False(t, ok)
	first := unpack(t, s, 1, "a.py=one", "b.py=two", "bin/run=two")
	assert.Equal(t, 3, contents(t, s.Dir))
	unpack(t, s, 2, "a.py=one", "c.py=three")
	assert.Equal(t, 4, contents(t, s.Dir), "a second release adds what it changes")
	again, ok := s.Tree(numbered(1))
	require.True(t, ok)
	assert.Equal(t, first.Members, again.Members)
	assert.Equal(t, "press house", again.Fact("name"))
	assert.Empty(t, again.Fact("other"))
	assert.Equal(t, int64(9), again.Bytes())
	path := pathOf(t, again, "b.py")
	data, err := again.Read("b.py")
	require.NoError(t, err)
	assert.Equal(t, "two", string(data))
	for key, mode := range map[string]os.FileMode{"b.py": 0o444, "bin/run": 0o555} {
		info, err := os.Stat(pathOf(t, again, key))
		require.NoError(t, err)
		assert.Equal(t, mode, info.Mode().Perm(), key)
		assert.Equal(t, store.Stamp(sumOf("two")), info.ModTime(), key)
	}
	_, err = again.Read("nowhere.py")
	assert.ErrorIs(t, err, os.ErrNotExist)
	assert.Len(t, s.Trees(), 2)

	// What is damaged is found, removed, and unpacked anew when it is needed.
	damage := func() {
		require.NoError(t, os.Chmod(path, 0o644))
		require.NoError(t, os.WriteFile(path, []byte("tow"), 0o644))
		require.NoError(t, os.Chmod(path, 0o444))
	}
	damage()
	damaged, err := s.CheckTree(context.Background(), numbered(1))
	require.NoError(t, err)
	assert.Equal(t, []string{sumOf("two")}, damaged)
	_, ok = s.Tree(numbered(1))
	assert.False(t, ok)
	unpack(t, s, 1, "a.py=one", "b.py=two", "bin/run=two")
	damage()
	unpack(t, s, 3, "d.py=two") // which sees by its time that it is not what it was
	_, damaged, err = s.Verify(context.Background(), func(int) {})
	require.NoError(t, err)
	assert.Empty(t, damaged)
	damage()
	all, damaged, err := s.Verify(context.Background(), func(int) {})
	require.NoError(t, err)
	assert.Equal(t, []string{sumOf("two")}, damaged)
	assert.Equal(t, 4, all.Files)
	assert.Equal(t, []string{numbered(2)}, s.Trees(), "only what is whole is left")
}

// A tree is there whole or not at all; nothing half-made stays.
func TestUnpackFails(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	bad := append(sources("a.py=one"), store.Source{Member: store.Member{Key: "b.py", SHA256: sumOf("two")}, Copy: func(to io.Writer) error {
		_, _ = to.Write([]byte("t"))
		return errors.New("its hash is another")
	}})
	_, err := s.Unpack(context.Background(), numbered(1), nil, bad)
	assert.ErrorContains(t, err, "another")
	assert.False(t, s.HasTree(numbered(1)))
	assert.Equal(t, 1, contents(t, s.Dir))
	left, err := filepath.Glob(filepath.Join(s.Dir, "*", ".coming-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	bad[1].Append = func(to []byte) ([]byte, error) { return append(to, "t"...), nil }
	for _, says := range []string{"its hash is another", "b.py"} {
		_, err = s.Unpack(context.Background(), numbered(1), nil, bad)
		assert.ErrorContains(t, err, says)
		assert.Equal(t, 1, contents(t, s.Dir))
		bad[1].Copy = func(io.Writer) error { return nil }
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = s.Unpack(ctx, numbered(1), nil, sources("a.py=one"))
	assert.ErrorIs(t, err, context.Canceled)
	heading := "glassjar tree 2\nname x\n\n"
	for _, damage := range []string{"{", "glassjar tree 9\n\n", heading + "../../x - 1 - k\n", heading + numbered(1) + " - one - k\n", heading + numbered(1) + " - 1 - k"} {
		file := filepath.Join(s.Dir, "trees", "00", numbered(1))
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(damage), 0o644))
		_, ok := s.Tree(numbered(1))
		assert.False(t, ok, damage)
	}
}

// Members of all sizes come in, those that are unpacked in memory and those that are too large.
func TestUnpackSizes(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	want := map[string][]byte{}
	var list []store.Source
	for n, size := range append([]int{9 << 20, 7 << 20, 1 << 20, 0}, rand.Perm(200)...) {
		content := bytes.Repeat([]byte{byte(n)}, size)
		key := fmt.Sprintf("%03d.py", n)
		want[key] = content
		list = append(list, store.Source{Member: store.Member{Key: key, SHA256: sumOf(string(content)), Size: int64(size)},
			Copy:   func(to io.Writer) error { _, err := to.Write(content); return err },
			Append: func(to []byte) ([]byte, error) { return append(to, content...), nil }})
	}
	tree, err := s.Unpack(context.Background(), numbered(1), nil, list)
	require.NoError(t, err)
	require.Len(t, tree.Members, len(want))
	for _, m := range tree.Members {
		have, err := tree.Read(m.Key)
		require.NoError(t, err)
		assert.True(t, bytes.Equal(want[m.Key], have), m.Key)
	}
}

// What a killed process left is swept away; what is whole, or being filled by
// another, is not.
func TestSweepContents(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	path := pathOf(t, unpack(t, s, 1, "a.py=one"), "a.py")
	dir := filepath.Join(s.Dir, "files")
	half := filepath.Join(dir, sumOf("half")[:2], sumOf("half"))
	require.NoError(t, os.MkdirAll(filepath.Dir(half), 0o755))
	leave := func() {
		require.NoError(t, os.WriteFile(half, []byte("ha"), 0o200))
		note := filepath.Join(dir, ".coming-dead")
		require.NoError(t, os.WriteFile(note, []byte(sumOf("one")+"\n"+sumOf("half")+"\n../../x\n"), 0o644))
		require.NoError(t, os.WriteFile(note+".lock", nil, 0o644))
	}
	leave()
	s.Sweep()
	assert.FileExists(t, path)
	assert.NoFileExists(t, half)
	left, err := filepath.Glob(filepath.Join(dir, ".coming-*"))
	require.NoError(t, err)
	assert.Empty(t, left)

	// Who needs what was left half filled fills it.
	leave()
	data, err := unpack(t, s, 2, "b.py=half").Read("b.py")
	require.NoError(t, err)
	assert.Equal(t, "half", string(data))
	s.Sweep()
	assert.FileExists(t, half)
}

// Many unpack the same at once, and all end with the same files.
func TestUnpackAtOnce(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	var group sync.WaitGroup
	for range 16 {
		group.Go(func() {
			tree, err := s.Unpack(context.Background(), numbered(7), nil, sources("a.py=one", "b.py=two", "c.py=three", "d.py=one"))
			if assert.NoError(t, err) {
				data, err := tree.Read("d.py")
				assert.NoError(t, err)
				assert.Equal(t, "one", string(data))
			}
			s.Sweep()
		})
	}
	group.Wait()
	assert.Equal(t, 3, contents(t, s.Dir))
	damaged, err := s.CheckTree(context.Background(), numbered(7))
	require.NoError(t, err)
	assert.Empty(t, damaged)
}

// Tidying leaves what is kept, and what others have in common with it.
func TestTidy(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	for n, members := range [][]string{{"a.py=one", "b.py=two"}, {"a.py=one", "c.py=three"}, {"d.py=four"}} {
		unpack(t, s, n, members...)
	}
	_, _, err := s.Add(context.Background(), "a.whl", "", strings.NewReader("apples"))
	require.NoError(t, err)
	keep := func(sum string) bool { return sum == numbered(0) }
	for _, plan := range []bool{true, false} {
		gone, err := s.Tidy(context.Background(), keep, func(string, time.Time) bool { return false }, plan)
		require.NoError(t, err)
		assert.Equal(t, store.Amount{Files: 3, Bytes: int64(len("three" + "four" + "apples"))}, gone)
		assert.Equal(t, map[bool]int{true: 4, false: 2}[plan], contents(t, s.Dir), "a plan removes nothing")
	}
	assert.Equal(t, []string{numbered(0)}, s.Trees())
	packages, err := s.Holds(context.Background(), store.Packages)
	require.NoError(t, err)
	assert.Zero(t, packages)

	// Who tidies waits for those who take something, and these do not wait for
	// each other.
	first, err := s.Hold(context.Background(), lock.Mode{Shared: true})
	require.NoError(t, err)
	second, err := s.Hold(context.Background(), lock.Mode{Shared: true})
	require.NoError(t, err)
	busy := errors.New("busy")
	_, err = s.Hold(context.Background(), lock.Mode{Waits: func(time.Duration) error { return busy }})
	assert.ErrorIs(t, err, busy)
	first()
	second()
	alone, err := s.Hold(context.Background(), lock.Mode{})
	require.NoError(t, err)
	alone()
}

// A tree counts only as it was written; a content that no tree names is trusted for
// its hash alone, since a power cut leaves its size and time and takes its bytes.
func TestAfterAPowerCut(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	unpack(t, s, 1, "a.py=one", "b.py=two")
	file := filepath.Join(s.Dir, "trees", numbered(1)[:2], numbered(1))
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	for _, damaged := range []string{"", string(text[:len(text)/2]), string(text[:strings.LastIndex(string(text), "end ")]), strings.Replace(string(text), "b.py", "c.py", 1), strings.Repeat("\x00", len(text))} {
		require.NoError(t, os.WriteFile(file, []byte(damaged), 0o644))
		_, ok := (&store.Store{Dir: s.Dir}).Tree(numbered(1))
		assert.False(t, ok, "%q", damaged)
	}
	require.NoError(t, os.Remove(file))
	content := filepath.Join(s.Dir, "files", sumOf("two")[:2], sumOf("two"))
	require.NoError(t, os.Chmod(content, 0o644))
	require.NoError(t, os.WriteFile(content, []byte("\x00\x00\x00"), 0o644))
	require.NoError(t, os.Chtimes(content, store.Stamp(sumOf("two")), store.Stamp(sumOf("two"))))
	require.NoError(t, os.Chmod(content, 0o444))
	again := &store.Store{Dir: s.Dir}
	tree := unpack(t, again, 1, "a.py=one", "b.py=two")
	data, err := tree.Read("b.py")
	require.NoError(t, err)
	assert.Equal(t, "two", string(data))
	// What is not saved is this process's alone.
	_, err = again.Unpack(context.Background(), numbered(2), nil, sources("c.py=three"))
	require.NoError(t, err)
	assert.True(t, func() bool { _, ok := again.Tree(numbered(2)); return ok }())
	assert.False(t, again.HasTree(numbered(2)))
	_, ok := (&store.Store{Dir: s.Dir}).Tree(numbered(2))
	assert.False(t, ok)
}

// A second store is read, and never written to.
func TestSecondStore(t *testing.T) {
	group := &store.Store{Dir: t.TempDir()}
	unpack(t, group, 1, "a.py=one")
	s := &store.Store{Dir: t.TempDir(), Second: group}
	assert.True(t, s.HasTree(numbered(1)))
	tree, ok := s.Tree(numbered(1))
	require.True(t, ok)
	assert.True(t, strings.HasPrefix(pathOf(t, tree, "a.py"), group.Dir))
	unpack(t, s, 2, "b.py=two")
	assert.False(t, group.HasTree(numbered(2)))
	_, err := s.Tidy(context.Background(), func(string) bool { return false }, func(string, time.Time) bool { return false }, false)
	require.NoError(t, err)
	assert.True(t, s.HasTree(numbered(1)))
	assert.False(t, s.HasTree(numbered(2)))
}

// Each way of putting a file into a jar gives the same content and time; a linked
// one cannot be written to, the others are the jar's own.
func TestPlace(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	from := pathOf(t, unpack(t, s, 1, "bin/run=one"), "bin/run")
	dir := t.TempDir()
	for _, way := range append([]string{""}, store.Ways...) {
		to := filepath.Join(dir, "as-"+way)
		p := &store.Placer{Store: s, Way: way}
		require.NoError(t, p.Place(from, to), way)
		require.ErrorIs(t, p.Place(from, to), os.ErrExist, way)
		data, err := os.ReadFile(to)
		require.NoError(t, err)
		assert.Equal(t, "one", string(data), way)
		info, err := os.Stat(to)
		require.NoError(t, err)
		assert.Equal(t, store.Stamp(sumOf("one")), info.ModTime(), way)
		at, err := os.Stat(from)
		require.NoError(t, err)
		if os.SameFile(info, at) {
			assert.NotEqual(t, store.Copy, way)
			assert.Equal(t, os.FileMode(0o555), info.Mode().Perm(), way)
		} else {
			assert.Equal(t, os.FileMode(0o755), info.Mode().Perm(), way)
		}
		own := filepath.Join(dir, "own-"+way)
		require.NoError(t, p.Copy(from, own))
		info, err = os.Stat(own)
		require.NoError(t, err)
		assert.False(t, os.SameFile(info, at), way)
	}
	// Between file systems there are only copies.
	if other, err := os.MkdirTemp("/dev/shm", "glassjar-"); err == nil {
		defer os.RemoveAll(other)
		for _, way := range []string{"", store.Link} {
			p := &store.Placer{Store: s, Way: way}
			require.NoError(t, p.PlaceIn(other, []store.Pair{{From: from, Name: "as-" + way}, {From: from + "none", Name: "none", Optional: true}}))
			assert.Equal(t, 1, p.Left())
			p.Close()
			info, err := os.Stat(filepath.Join(other, "as-"+way))
			require.NoError(t, err)
			assert.Equal(t, os.FileMode(0o755), info.Mode().Perm())
			assert.Equal(t, store.Stamp(sumOf("one")), info.ModTime())
		}
	}
	assert.ErrorIs(t, (&store.Placer{}).Place(filepath.Join(dir, "nowhere"), filepath.Join(dir, "x")), os.ErrNotExist)
}

// A file that has as many names as the file system admits gets a new one.
func TestManyNames(t *testing.T) {
	s := &store.Store{Dir: t.TempDir()}
	from := pathOf(t, unpack(t, s, 1, "a.py=one"), "a.py")
	first, err := os.Stat(from)
	require.NoError(t, err)
	dir := t.TempDir()
	for n := 0; ; n++ {
		if n == 66_000 {
			t.Skip("a file of this file system has no such limit")
		}
		if err := os.Link(from, filepath.Join(dir, fmt.Sprint(n))); err != nil {
			break
		}
	}
	to := filepath.Join(dir, "one-more")
	require.NoError(t, (&store.Placer{Store: s, Way: store.Link}).Place(from, to))
	linked, err := os.Stat(to)
	require.NoError(t, err)
	now, err := os.Stat(from)
	require.NoError(t, err)
	assert.True(t, os.SameFile(linked, now))
	assert.False(t, os.SameFile(first, now))
	assert.Equal(t, store.Stamp(sumOf("one")), now.ModTime())
	assert.Equal(t, os.FileMode(0o444), now.Mode().Perm())
}
