package jar_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/project"
)

func hold(t *testing.T, root string, out jar.Outside) (*jar.Jar, func(), error) {
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	return jar.Hold(ctx, root, out, lock.Mode{})
}

// apply makes a change as a command does: with the lock.
func apply(t *testing.T, j *jar.Jar, c jar.Change) error {
	held, release, err := hold(t, j.Root, c.Outside)
	require.NoError(t, err)
	defer release()
	return held.Apply(context.Background(), c)
}

// cellar is a jar with a project, and a change of it that has a step of every kind.
func cellar(t *testing.T) (*jar.Jar, jar.Change) {
	j := create(t)
	out := jar.Outside{Spec: filepath.Join(filepath.Dir(j.Root), "pyproject.toml"), Record: filepath.Join(filepath.Dir(j.Root), "pylock.toml")}
	require.NoError(t, os.WriteFile(out.Spec, []byte("old spec"), 0o640))
	first := add(pack(t, "press", "1.0", "", "press.py=1", "gone.py=2", "orchard/a.py=3"))
	first.Outside, first.Record = out, &jar.Text{Data: []byte("old record")}
	require.NoError(t, apply(t, j, first))
	installed, err := j.Installed()
	require.NoError(t, err)
	c := add(pack(t, "press", "2.0", "", "press.py=11", "orchard/a.py=33", "orchard/b.py=4", "vault/deep/c.py=5"))
	c.Remove, c.Outside, c.Spec, c.Record = installed, out, &jar.Text{Data: []byte("new spec")}, &jar.Text{Gone: true}
	state := j.State
	state.Prompt = "renamed"
	text, err := state.WithParts(project.Parts{Groups: []string{"tests"}})
	require.NoError(t, err)
	c.Own = map[string]jar.OwnFile{jar.StatePath: {Data: text}, "glassjar/base": {Data: []byte("{}")}, jar.MomentPath(1): {Data: []byte(`{"number": 1}`)}, "bin/activate.nu": {Gone: true}}
	if runtime.GOOS != "windows" { // an ordinary user makes no links there
		c.Own["bin/python3"] = jar.OwnFile{Link: "python3.12"}
	}
	return j, c
}

// everything is each file below the project's folder with its content, links too.
func everything(t *testing.T, j *jar.Jar) map[string]string {
	out := map[string]string{}
	top := filepath.Dir(j.Root)
	require.NoError(t, filepath.WalkDir(top, func(p string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		rel, err := filepath.Rel(top, p)
		if err != nil {
			return err
		}
		rel = filepath.ToSlash(rel)
		if target, err := os.Readlink(p); err == nil {
			out[rel] = "-> " + target
			return nil
		}
		data, err := os.ReadFile(p)
		out[rel] = string(data)
		return err
	}))
	return out
}

// Cut off after any number of steps, a change is undone by whoever takes the lock
// next: the jar, the spec and the record are what they were, byte for byte.
func TestCutOffAnywhere(t *testing.T) {
	total := 1
	for n := 0; n <= total; n++ {
		j, c := cellar(t)
		before := everything(t, j)
		var err error
		total, err = jar.MakeSteps(j, c, n, false)
		require.NoError(t, err)
		assert.Equal(t, jar.CutOff, jar.PhaseOf(j.Root))
		// Whoever only looks leaves it as it is.
		_, err = jar.Open(j.Root)
		require.NoError(t, err)
		assert.Equal(t, jar.CutOff, jar.PhaseOf(j.Root))
		for again := range 2 {
			held, release, err := hold(t, j.Root, c.Outside)
			require.NoError(t, err)
			assert.Equal(t, again == 0, held.Recovered.Undone, "after %d steps", n)
			assert.Empty(t, held.Recovered.Left)
			assert.Equal(t, "orchard", held.State.Prompt)
			release()
			require.Equal(t, before, everything(t, j), "after %d steps", n)
		}
		info, err := os.Stat(c.Outside.Spec)
		require.NoError(t, err)
		if runtime.GOOS != "windows" {
			assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
		}
	}
	assert.Greater(t, total, 9)
}

// An undoing that is cut off in its turn, after any number of steps, goes on with the next
// command: what it has brought back already is not taken for what the change had put there.
func TestUndoingCutOffAnywhere(t *testing.T) {
	for _, made := range []int{7, 1000} {
		for undone, total := 0, 1; undone <= min(made, total); undone++ {
			j, c := cellar(t)
			before := everything(t, j)
			var err error
			total, err = jar.MakeSteps(j, c, made, false)
			require.NoError(t, err)
			require.NoError(t, jar.UndoSome(j, c.Outside, undone))
			held, release, err := hold(t, j.Root, c.Outside)
			require.NoError(t, err)
			assert.Empty(t, held.Recovered.Left, "%d steps made, %d undone", made, undone)
			release()
			require.Equal(t, before, everything(t, j), "%d steps made, %d undone", made, undone)
		}
	}
}

// Cut off after its journal got its other name, it has happened.
func TestCutOffWhenDone(t *testing.T) {
	j, c := cellar(t)
	_, err := jar.MakeSteps(j, c, 1000, true)
	require.NoError(t, err)
	assert.Equal(t, jar.Resting, jar.PhaseOf(j.Root))
	held, release, err := hold(t, j.Root, c.Outside)
	require.NoError(t, err)
	defer release()
	assert.False(t, held.Recovered.Undone, "nothing was undone")
	assert.Equal(t, "renamed", held.State.Prompt)
	after := everything(t, j)
	assert.Equal(t, "new spec", after["pyproject.toml"])
	assert.NotContains(t, after, "pylock.toml")
	assert.NotContains(t, after, ".jar/"+site+"gone.py")
	assert.Equal(t, "11", after[".jar/"+site+"press.py"])
	for name := range after {
		assert.NotContains(t, name, "staging")
		assert.NotContains(t, name, "journal")
	}
}

// What somebody changed between the kill and the next command is nobody's to undo.
func TestChangedAfterTheKill(t *testing.T) {
	for _, c := range []struct {
		file, text string
	}{
		{"pyproject.toml", "my own"}, {"pylock.toml", "somebody's"}, {".jar/" + site + "press.py", "edited"}, {".jar/" + site + "vault/deep/mine.py", "new"}, {".jar/" + site + "gone.py", "here again"},
	} {
		j, change := cellar(t)
		before := everything(t, j)
		_, err := jar.MakeSteps(j, change, 1000, false)
		require.NoError(t, err)
		file := filepath.Join(filepath.Dir(j.Root), filepath.FromSlash(c.file))
		require.NoError(t, os.WriteFile(file, []byte(c.text), 0o644))
		held, release, err := hold(t, j.Root, change.Outside)
		require.NoError(t, err)
		release()
		require.Len(t, held.Recovered.Left, 1, c.file)
		assert.True(t, strings.HasSuffix(file, filepath.FromSlash(held.Recovered.Left[0])), held.Recovered.Left[0])
		before[c.file] = c.text
		assert.Equal(t, before, everything(t, j), c.file)
	}
}

// Undoing that fails is repeated until it succeeds, and nothing is dropped meanwhile.
func TestUndoingIsRepeated(t *testing.T) {
	j, c := cellar(t)
	before := everything(t, j)
	_, err := jar.MakeSteps(j, c, 1000, false)
	require.NoError(t, err)
	// A folder where the copy of the old spec would be read fails for anybody.
	copied := j.Path("glassjar/staging/old/spec")
	data, err := os.ReadFile(copied)
	require.NoError(t, err)
	require.NoError(t, os.Remove(copied))
	require.NoError(t, os.Mkdir(copied, 0o755))
	for range 2 {
		_, _, err = hold(t, j.Root, c.Outside)
		var failed *jar.RecoverError
		require.ErrorAs(t, err, &failed)
		assert.Equal(t, jar.CutOff, jar.PhaseOf(j.Root))
	}
	require.NoError(t, os.Remove(copied))
	require.NoError(t, os.WriteFile(copied, data, 0o640))
	_, release, err := hold(t, j.Root, c.Outside)
	require.NoError(t, err)
	release()
	assert.Equal(t, before, everything(t, j))
}

// A jar, or its project, that was moved before the next command is put right where it
// is, and nothing is touched where it was; names may be any bytes.
func TestMovedAfterTheKill(t *testing.T) {
	j, c := cellar(t)
	before := everything(t, j)
	_, err := jar.MakeSteps(j, c, 1000, false)
	require.NoError(t, err)
	top := filepath.Dir(j.Root)
	moved := filepath.Join(t.TempDir(), "p\xfferry")
	require.NoError(t, os.Rename(top, moved))
	require.NoError(t, os.Mkdir(top, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(top, "pyproject.toml"), []byte("another project"), 0o644))
	held, release, err := hold(t, filepath.Join(moved, ".jar"), jar.Outside{Spec: filepath.Join(moved, "pyproject.toml"), Record: filepath.Join(moved, "pylock.toml")})
	require.NoError(t, err)
	release()
	assert.True(t, held.Recovered.Undone)
	assert.Equal(t, before, everything(t, held))
	data, err := os.ReadFile(filepath.Join(top, "pyproject.toml"))
	require.NoError(t, err)
	assert.Equal(t, "another project", string(data))
}

// A journal names what is in the jar, and the two files outside, or it is damaged.
func TestHostileJournals(t *testing.T) {
	secret := filepath.Join(t.TempDir(), "key")
	require.NoError(t, os.WriteFile(secret, []byte("secret"), 0o600))
	for _, line := range []string{
		`take "` + secret + `"`, `take "../key"`, `put "lib/../../key"`, `put "./lib/x.py"`, `put "glassjar/id"`, `own "glassjar/id" - f00`, `own "../../key" - f00`, `own "glassjar/staging/x" - f00`,
		`take "glassjar/jar.json"`, `spec`, `run "x"`, `own "x"`, `take x`,
	} {
		j := create(t)
		require.NoError(t, os.WriteFile(j.Path("glassjar/journal.txt"), jar.JournalText(line), 0o644))
		before := everything(t, j)
		_, _, err := hold(t, j.Root, jar.Outside{})
		var damaged *jar.DamagedJournalError
		require.ErrorAs(t, err, &damaged, line)
		assert.Equal(t, before, everything(t, j))
	}
	// A link inside the jar leads nowhere else either.
	j := create(t)
	require.NoError(t, os.Symlink(filepath.Dir(secret), j.Path("lib/out")))
	require.NoError(t, os.MkdirAll(j.Path("glassjar/staging/old/lib/out"), 0o755))
	require.NoError(t, os.WriteFile(j.Path("glassjar/staging/old/lib/out/planted"), nil, 0o644))
	require.NoError(t, os.WriteFile(j.Path("glassjar/journal.txt"), jar.JournalText(`take "lib/out/planted"`, `put "lib/out/key"`), 0o644))
	_, _, err := hold(t, j.Root, jar.Outside{})
	require.Error(t, err)
	assert.FileExists(t, secret)
	assert.NoFileExists(t, filepath.Join(filepath.Dir(secret), "planted"))
}

// A jar that is filled beside its place appears with its spec and record; cut off in
// between, whoever has the lock next completes them.
func TestSettle(t *testing.T) {
	top := t.TempDir()
	spec := filepath.Join(top, "pyproject.toml")
	require.NoError(t, os.WriteFile(spec, []byte("old"), 0o600))
	c := add(pack(t, "press", "1.0", "", "press.py=1"))
	c.Outside, c.Spec, c.Record = jar.Outside{Spec: spec, Record: filepath.Join(top, "pylock.toml")}, &jar.Text{Data: []byte("new")}, &jar.Text{Data: []byte("record")}
	j, err := jar.Prepare(filepath.Join(top, ".jar.new-1"), pretend(t), jar.Options{Prompt: "orchard"})
	require.NoError(t, err)
	require.NoError(t, j.Apply(context.Background(), c))
	assert.Equal(t, "old", everything(t, j)["pyproject.toml"], "nothing is written before the jar is there")
	half := filepath.Join(t.TempDir(), "project")
	require.NoError(t, j.Commit(context.Background(), filepath.Join(top, ".jar")))
	after := everything(t, j)
	assert.Equal(t, "new", after["pyproject.toml"])
	assert.Equal(t, "record", after["pylock.toml"])
	for name := range after {
		assert.NotContains(t, name, "staging")
		assert.NotContains(t, name, "journal")
	}

	require.NoError(t, os.Mkdir(half, 0o755))
	k, err := jar.Prepare(filepath.Join(half, ".jar"), pretend(t), jar.Options{})
	require.NoError(t, err)
	c.Outside = jar.Outside{Spec: filepath.Join(half, "pyproject.toml"), Record: filepath.Join(half, "pylock.toml")}
	require.NoError(t, k.Apply(context.Background(), c))
	require.NoError(t, jar.Promise(k))
	held, release, err := hold(t, k.Root, c.Outside)
	require.NoError(t, err)
	release()
	assert.True(t, held.Recovered.Completed)
	after = everything(t, held)
	assert.Equal(t, "new", after["pyproject.toml"])
	assert.Equal(t, "record", after["pylock.toml"])
	assert.Equal(t, jar.Resting, jar.PhaseOf(k.Root))
}

// While another process has the lock, its change is its own: nobody undoes it.
func TestNothingIsUndoneWithoutTheLock(t *testing.T) {
	j, c := cellar(t)
	_, release, err := hold(t, j.Root, c.Outside)
	require.NoError(t, err)
	_, err = jar.MakeSteps(j, c, 3, false)
	require.NoError(t, err)
	midway := everything(t, j)
	busy := errors.New("it is busy")
	_, _, err = jar.Hold(context.Background(), j.Root, c.Outside, lock.Mode{Waits: func(time.Duration) error { return busy }})
	assert.ErrorIs(t, err, busy)
	assert.Equal(t, midway, everything(t, j))
	release()
	held, release, err := hold(t, j.Root, c.Outside)
	require.NoError(t, err)
	defer release()
	assert.True(t, held.Recovered.Undone)
}
