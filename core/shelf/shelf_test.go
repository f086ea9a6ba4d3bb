package shelf_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/jartest"
	"glassjar/core/jar"
	"glassjar/core/shelf"
	_ "glassjar/internal/long"
)

var create = jartest.Create

func places(t *testing.T, l shelf.List) []string {
	all, err := l.All()
	require.NoError(t, err)
	var out []string
	for _, k := range all {
		out = append(out, filepath.Base(k.Root))
	}
	return out
}

// A jar is known where it is, and trusted: after it was moved too, but no copy of it, and
// not when it leads elsewhere.
func TestJarsAreKnownAgain(t *testing.T) {
	top := t.TempDir()
	l := shelf.List{Dir: filepath.Join(top, "jars")}
	assert.Empty(t, places(t, l))
	j := create(t, filepath.Join(top, "press"))
	l.See(j)
	assert.True(t, l.Has(j.Root))
	assert.False(t, l.Trusted(j.Root), "to look grants nothing")
	require.NoError(t, l.Trust(j))
	assert.True(t, l.Trusted(j.Root))

	moved := filepath.Join(top, "vault")
	require.NoError(t, os.Rename(j.Root, moved))
	assert.False(t, l.Has(moved))
	assert.True(t, l.Trusted(moved), "a jar that was moved is still the one that was made here")
	again, err := jar.Open(moved)
	require.NoError(t, err)
	l.See(again)
	assert.Equal(t, []string{"vault"}, places(t, l))

	copied := filepath.Join(top, "copy")
	require.NoError(t, os.CopyFS(copied, os.DirFS(moved)))
	assert.False(t, l.Trusted(copied), "nobody says that this program made it")
	other, err := jar.Open(copied)
	require.NoError(t, err)
	require.NoError(t, l.Trust(other))
	assert.True(t, l.Trusted(copied))
	assert.True(t, l.Trusted(moved))
	assert.Equal(t, []string{"copy", "vault"}, places(t, l))
	assert.NotEqual(t, again.ID(), other.ID(), "a copy gets an identity of its own")

	// A jar that comes to look as a change was to make it is the same; any other is not.
	config := filepath.Join(moved, "pyvenv.cfg")
	was, err := os.ReadFile(config)
	require.NoError(t, err)
	will := append(was, "prompt = vault\n"...)
	require.NoError(t, l.Trust(again, again.LooksAfter(map[string]jar.OwnFile{"pyvenv.cfg": {Data: will}})...))
	for text, trusted := range map[string]bool{string(was): true, string(will): true, "home = /elsewhere\n": false} {
		require.NoError(t, os.WriteFile(config, []byte(text), 0o644))
		assert.Equal(t, trusted, l.Trusted(moved), text)
	}
	require.NoError(t, os.WriteFile(config, was, 0o644))
	require.NoError(t, os.Remove(again.Python()))
	assert.True(t, l.Trusted(moved), "nothing comes of what is missing")
	require.NoError(t, os.Symlink("/bin/sh", again.Python()))
	assert.False(t, l.Trusted(moved))

	// One whose own folder leads into a trusted jar is not that.
	borrowed := filepath.Join(top, "borrowed")
	require.NoError(t, os.CopyFS(borrowed, os.DirFS(copied)))
	require.NoError(t, os.RemoveAll(filepath.Join(borrowed, "glassjar")))
	require.NoError(t, os.Symlink(filepath.Join(copied, "glassjar"), filepath.Join(borrowed, "glassjar")))
	assert.False(t, l.Trusted(borrowed))

	// A place that holds another jar now is not the old one's.
	require.NoError(t, os.RemoveAll(moved))
	assert.Equal(t, []string{"copy", "vault"}, places(t, l), "a jar whose folder is gone is still listed")
	fresh := create(t, filepath.Join(top, "fresh"))
	require.NoError(t, l.Expect(fresh, moved))
	assert.Equal(t, []string{"copy", "vault"}, places(t, l), "one that has not its place yet is not listed")
	require.NoError(t, os.Rename(fresh.Root, moved))
	assert.True(t, l.Trusted(moved), "it is trusted from the moment it is there")
	require.NoError(t, l.Forget(other.ID()))
	require.NoError(t, l.Forget(other.ID()))
	assert.Equal(t, []string{"vault"}, places(t, l))
	all, err := l.All()
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), all[0].Used, time.Minute)
}

// What an older version noted goes on being trusted, and gets its marks.
func TestOlderEntries(t *testing.T) {
	top := t.TempDir()
	l := shelf.List{Dir: filepath.Join(top, "jars")}
	j := create(t, filepath.Join(top, "press"))
	require.NoError(t, os.MkdirAll(l.Dir, 0o755))
	file := filepath.Join(l.Dir, j.ID()+".json")
	entry, err := json.Marshal(map[string]any{"root": j.Root, "made": true})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, entry, 0o644))
	assert.True(t, l.Trusted(j.Root))
	l.See(j)
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(data), "looks")
	require.NoError(t, os.WriteFile(filepath.Join(j.Root, "pyvenv.cfg"), nil, 0o644))
	assert.False(t, l.Trusted(j.Root))
}

// A place from which one jar after another was taken away is on the list once.
func TestGoneAgainAndAgain(t *testing.T) {
	top := t.TempDir()
	l := shelf.List{Dir: filepath.Join(top, "jars")}
	for range 3 {
		require.NoError(t, l.Trust(create(t, filepath.Join(top, "press"))))
		require.NoError(t, os.RemoveAll(filepath.Join(top, "press")))
	}
	assert.Equal(t, []string{"press"}, places(t, l))
}

// A damaged entry, or one with what is left of a longer text, loses no other.
func TestDamagedEntries(t *testing.T) {
	top := t.TempDir()
	l := shelf.List{Dir: filepath.Join(top, "jars")}
	j := create(t, filepath.Join(top, "press"))
	require.NoError(t, l.Trust(j))
	file := filepath.Join(l.Dir, j.ID()+".json")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(data, "tail of something longer"...), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(l.Dir, "zz.json"), []byte("{"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(l.Dir, "notes.txt"), nil, 0o644))
	assert.Equal(t, []string{"press"}, places(t, l))
	assert.True(t, l.Trusted(j.Root))
	shelf.List{}.See(j) // keeps nothing, and is no error
	require.NoError(t, shelf.List{}.Trust(j))
}

func TestDiscardedList(t *testing.T) {
	l := shelf.DiscardedList{Dir: filepath.Join(t.TempDir(), "away")}
	all, err := l.All()
	require.NoError(t, err)
	assert.Empty(t, all)
	day := time.Date(2026, 9, 1, 8, 0, 0, 0, time.FixedZone("orchard", 7200))
	require.NoError(t, l.Put(shelf.Discarded{ID: "b", Root: "/o/.jar", Held: "/o/.jar.discarded-b", At: day, Known: shelf.Known{ID: "b", Root: "/o/.jar", Made: true}}))
	require.NoError(t, l.Put(shelf.Discarded{ID: "a", Root: "/p/.jar", Held: "/p/.jar.discarded-a", At: day.Add(-time.Hour)}))
	all, err = l.All()
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "a", all[0].ID, "in the order of their going")
	assert.Equal(t, "/o/.jar", all[1].Root)
	assert.Equal(t, []bool{false, true}, []bool{all[0].Known.Made, all[1].Known.Made}, "what was trusted is kept")
	assert.True(t, all[1].At.Equal(day))
	require.NoError(t, l.Drop("a"))
	require.NoError(t, l.Drop("a"))
	all, _ = l.All()
	assert.Len(t, all, 1)
}

// What a process that is no more was making is removed, and nothing else.
func TestSweep(t *testing.T) {
	top := t.TempDir()
	l := shelf.Making{Dir: filepath.Join(top, "making")}
	temp, done := l.Begin(filepath.Join(top, "press"))
	require.NoError(t, os.MkdirAll(temp, 0o755))
	l.Sweep()
	assert.DirExists(t, temp, "its process is at work")
	done()
	l.Sweep()
	assert.NoDirExists(t, temp, "its process gave it up, and could not remove it")
	require.NoError(t, os.MkdirAll(temp, 0o755))
	require.NoError(t, os.MkdirAll(l.Dir, 0o755))

	// An entry that nobody holds: its process was killed.
	require.NoError(t, os.WriteFile(filepath.Join(l.Dir, "abc"), []byte(temp), 0o644))
	l.Sweep()
	assert.DirExists(t, temp, "the name of the entry is part of the folder's")
	_, name, _ := cutLast(temp)
	require.NoError(t, os.WriteFile(filepath.Join(l.Dir, name), []byte(temp), 0o644))
	l.Sweep()
	assert.NoDirExists(t, temp)
	entries, err := os.ReadDir(l.Dir)
	require.NoError(t, err)
	assert.Empty(t, entries)

	if runtime.GOOS == "windows" {
		return // there a name that is too long is one that is not there
	}
	// What cannot be removed now is tried again: its entry stays.
	entry := filepath.Join(l.Dir, "def")
	require.NoError(t, os.WriteFile(entry, []byte(filepath.Join(top, strings.Repeat("press", 60)+".new-def")), 0o644))
	l.Sweep()
	assert.FileExists(t, entry)
}

func cutLast(path string) (string, string, bool) {
	for i := len(path) - 1; i > 0; i-- {
		if path[i] == '-' {
			return path[:i], path[i+1:], true
		}
	}
	return path, "", false
}
