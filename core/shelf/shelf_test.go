package shelf_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/shelf"
)

func create(t *testing.T, root string) *jar.Jar {
	path := filepath.Join(t.TempDir(), "python3.12")
	require.NoError(t, os.WriteFile(path, []byte("#!/bin/sh\n"), 0o755))
	j, err := jar.Create(context.Background(), root, interpreter.Interpreter{Path: path, Said: interpreter.Answer{Version: "3.12.1", Implementation: "cpython", OSName: "posix", SysPlatform: "linux"}}, jar.Options{})
	require.NoError(t, err)
	return j
}

func places(t *testing.T, l shelf.List) []string {
	all, err := l.All()
	require.NoError(t, err)
	var out []string
	for _, k := range all {
		out = append(out, filepath.Base(k.Root))
	}
	return out
}

// A jar is known where it is: after it was moved, and a copy as another.
func TestJarsAreKnownAgain(t *testing.T) {
	top := t.TempDir()
	l := shelf.List{Dir: filepath.Join(top, "jars")}
	assert.Empty(t, places(t, l))
	j := create(t, filepath.Join(top, "press"))
	l.See(j, true)
	assert.True(t, l.Trusted(j.Root))
	assert.True(t, l.Has(j.Root))

	moved := filepath.Join(top, "vault")
	require.NoError(t, os.Rename(j.Root, moved))
	assert.False(t, l.Has(moved))
	again, err := jar.Open(moved)
	require.NoError(t, err)
	l.See(again, false)
	assert.Equal(t, []string{"vault"}, places(t, l))
	assert.True(t, l.Trusted(moved), "a jar that was moved is still the one that was made here")

	copied := filepath.Join(top, "copy")
	require.NoError(t, os.CopyFS(copied, os.DirFS(moved)))
	other, err := jar.Open(copied)
	require.NoError(t, err)
	l.See(other, false)
	assert.Equal(t, []string{"copy", "vault"}, places(t, l))
	assert.NotEqual(t, again.ID(), other.ID(), "a copy gets an identity of its own")
	assert.False(t, l.Trusted(copied), "nobody says that this program made it")

	// A place that holds another jar now is not the old one's.
	require.NoError(t, os.RemoveAll(moved))
	assert.Equal(t, []string{"copy", "vault"}, places(t, l), "a jar whose folder is gone is still listed")
	fresh := create(t, moved)
	l.See(fresh, true)
	assert.Equal(t, []string{"copy", "vault"}, places(t, l))
	require.NoError(t, l.Forget(other.ID()))
	require.NoError(t, l.Forget(other.ID()))
	assert.Equal(t, []string{"vault"}, places(t, l))
	all, err := l.All()
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), all[0].Used, time.Minute)
}

// A damaged entry, or one with what is left of a longer text, loses no other.
func TestDamagedEntries(t *testing.T) {
	top := t.TempDir()
	l := shelf.List{Dir: filepath.Join(top, "jars")}
	j := create(t, filepath.Join(top, "press"))
	l.See(j, true)
	file := filepath.Join(l.Dir, j.ID()+".json")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(data, "tail of something longer"...), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(l.Dir, "zz.json"), []byte("{"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(l.Dir, "notes.txt"), nil, 0o644))
	assert.Equal(t, []string{"press"}, places(t, l))
	assert.True(t, l.Trusted(j.Root))
	shelf.List{}.See(j, true) // keeps nothing, and is no error
}

func TestAwayList(t *testing.T) {
	l := shelf.AwayList{Dir: filepath.Join(t.TempDir(), "away")}
	all, err := l.All()
	require.NoError(t, err)
	assert.Empty(t, all)
	day := time.Date(2026, 9, 1, 8, 0, 0, 0, time.FixedZone("orchard", 7200))
	require.NoError(t, l.Put("b", "/o/.jar", "/o/.jar.discarded-b", day))
	require.NoError(t, l.Put("a", "/p/.jar", "/p/.jar.discarded-a", day.Add(-time.Hour)))
	all, err = l.All()
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "a", all[0].ID, "in the order of their going")
	assert.Equal(t, "/o/.jar", all[1].Root)
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
}

func cutLast(path string) (string, string, bool) {
	for i := len(path) - 1; i > 0; i-- {
		if path[i] == '-' {
			return path[:i], path[i+1:], true
		}
	}
	return path, "", false
}
