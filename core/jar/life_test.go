package jar_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
)

func TestMoments(t *testing.T) {
	j := create(t)
	_, ok, err := j.LastMoment()
	require.NoError(t, err)
	assert.False(t, ok)
	text := "[project]\n"
	for n, command := range []string{"create", "install press"} {
		m := jar.Moment{Number: n + 1, At: time.Date(2026, 9, 1, 10, 0, n, 5, time.FixedZone("orchard", 7200)), Command: command}
		if n == 1 {
			m.Spec, m.Packages = &text, []jar.MomentPackage{{Name: "press", Version: "1.0", SHA256: "ab", Requested: true}}
		}
		data, err := m.Bytes()
		require.NoError(t, err)
		require.NoError(t, os.MkdirAll(filepath.Dir(j.MomentFile(n)), 0o755))
		require.NoError(t, os.WriteFile(j.MomentFile(n+1), data, 0o644))
	}
	last, ok, err := j.LastMoment()
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, "install press", last.Command)
	assert.Equal(t, "2026-09-01T08:00:01Z", last.At.Format(time.RFC3339Nano), "UTC, to the second")
	assert.Equal(t, text, *last.Spec)
	assert.Nil(t, last.Record)

	// A damaged state is left out; one of a newer format is refused.
	require.NoError(t, os.WriteFile(j.MomentFile(3), []byte("{"), 0o644))
	require.NoError(t, os.WriteFile(j.Path("glassjar/history/notes.txt"), nil, 0o644))
	all, err := j.Moments()
	require.NoError(t, err)
	assert.Len(t, all, 2)
	last, _, err = j.LastMoment()
	require.NoError(t, err)
	assert.Equal(t, 2, last.Number)
	next, err := j.NextNumber()
	require.NoError(t, err)
	assert.Equal(t, 4, next, "a damaged state is not written over")
	require.NoError(t, os.WriteFile(j.MomentFile(4), []byte(`{"format": 2, "number": 4}`), 0o644))
	_, err = j.Moments()
	var newer *jar.NewerFormatError
	assert.ErrorAs(t, err, &newer)
}

// A clone has the same files, times included, and shares none of them.
func TestClone(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "[console_scripts]\npress = press:main\n", "press/__init__.py=x = 1\n", "press-1.0.data/data/share/day.txt=day"))))
	require.NoError(t, os.Symlink("day.txt", j.Path("share/link")))
	before := time.Date(2020, 1, 2, 3, 4, 5, 0, time.UTC)
	require.NoError(t, os.Chtimes(j.Path(site+"press/__init__.py"), before, before))
	root := filepath.Join(t.TempDir(), "copy")
	copied, err := j.Clone(context.Background(), root, pretend(t), jar.Options{Prompt: "copy", Also: map[string][]byte{jar.MomentPath(1): []byte("{}")}})
	require.NoError(t, err)
	assert.Equal(t, files(t, j), files(t, copied))
	info, err := os.Stat(copied.Path(site + "press/__init__.py"))
	require.NoError(t, err)
	assert.True(t, info.ModTime().Equal(before))
	assert.FileExists(t, copied.MomentFile(1))
	assert.NotEqual(t, j.ID(), copied.ID())
	assert.Equal(t, "copy", copied.State.Prompt)
	installed, err := j.Installed()
	require.NoError(t, err)
	a, err := j.Label(installed)
	require.NoError(t, err)
	b, err := copied.Label(installed)
	require.NoError(t, err)
	assert.Equal(t, a, b)
	c, err := copied.RecordedLabel(installed)
	require.NoError(t, err)
	assert.Equal(t, a, c)

	// What is done to one does not touch the other; then the two differ.
	require.NoError(t, os.WriteFile(copied.Path(site+"press/__init__.py"), []byte("x = 2\n"), 0o644))
	assert.Equal(t, "x = 1\n", read(t, j, site+"press/__init__.py"))
	b, _ = copied.Label(installed)
	assert.NotEqual(t, a, b)
	c, _ = copied.RecordedLabel(installed)
	assert.Equal(t, a, c, "the label of what was installed does not look at the files")
	_, err = j.Clone(context.Background(), root, pretend(t), jar.Options{})
	var exists *jar.ExistsError
	assert.ErrorAs(t, err, &exists)
}

func TestWhatADistributionBrings(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(
		pack(t, "press", "1.0", "[console_scripts]\npress-view = press:main\n", "press/__init__.py=", "tools/hives.py=", "press-1.0.data/scripts/old=#!python\n"),
		pack(t, "must", "1.0", "", "must.py="))))
	installed, err := j.Installed()
	require.NoError(t, err)
	must, press := installed[0], installed[1]
	assert.Equal(t, []string{"press", "tools.hives"}, j.Imports(press))
	assert.Equal(t, []string{"old", "press-view"}, j.Scripts(press))
	assert.Equal(t, []string{"must"}, j.Imports(must))
	assert.Empty(t, j.Scripts(must))

	// Links that lead nowhere, other sizes, and what is shared.
	assert.Empty(t, j.Dangling())
	assert.False(t, j.OtherSizes(installed))
	size, shared := j.Size()
	assert.Positive(t, size)
	assert.Zero(t, shared)
	require.NoError(t, os.Link(j.Path(site+"must.py"), filepath.Join(t.TempDir(), "must.py")))
	require.NoError(t, os.WriteFile(j.Path(site+"must.py"), []byte("pass\n"), 0o644))
	_, shared = j.Size()
	assert.Equal(t, int64(5), shared)
	assert.True(t, j.OtherSizes(installed))
	require.NoError(t, os.Remove(j.Path("bin/activate")))
	require.NoError(t, os.Symlink("nowhere", j.Path("bin/lost")))
	require.NoError(t, os.Remove(j.Path("bin/python3")))
	assert.Equal(t, []string{"bin/activate", "bin/lost", "bin/python3"}, j.Dangling())
	require.NoError(t, j.WriteActivation())
	assert.Equal(t, []string{"bin/lost", "bin/python3"}, j.Dangling())
	_, before, err := j.RecordedSums([]jar.Installed{press})
	require.NoError(t, err)
	assert.NotEmpty(t, before[press.Key()])
	require.NoError(t, os.Remove(j.Path(press.Info, "RECORD")))
	assert.NotEmpty(t, before)
	_, gone, err := j.RecordedSums([]jar.Installed{press})
	assert.Error(t, err)
	assert.Empty(t, gone[press.Key()])
	assert.Empty(t, j.Imports(press))
}

func TestActivationFor(t *testing.T) {
	posix, windows := jar.Layout{OS: "linux", Major: 3, Minor: 12}, jar.Layout{OS: "windows", Major: 3, Minor: 12}
	for shell, want := range map[string][2]string{
		"bash": {"bin/activate", "Scripts/activate"}, "fish": {"bin/activate.fish", ""}, "tcsh": {"bin/activate.csh", ""},
		"pwsh": {"bin/activate.ps1", "Scripts/activate.ps1"}, "cmd": {"", "Scripts/activate.cmd"}, "nu": {"bin/activate.nu", "Scripts/activate.nu"}, "wish": {"", ""},
	} {
		assert.Equal(t, want, [2]string{posix.ActivationFor(shell), windows.ActivationFor(shell)}, shell)
	}
}

// The interpreter's file is looked at, and asked only when it has changed.
func TestBaseChanged(t *testing.T) {
	j := create(t)
	base, err := j.Base()
	require.NoError(t, err)
	_, changed := j.BaseChanged(base)
	assert.False(t, changed)
	past := time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC)
	require.NoError(t, os.Chtimes(base, past, past))
	mark, changed := j.BaseChanged(base)
	assert.True(t, changed)
	j.NoteBase(mark)
	_, changed = j.BaseChanged(base)
	assert.False(t, changed)
	_, changed = j.BaseChanged(base + "-gone")
	assert.False(t, changed)
}

// What is noted of a jar that was discarded meanwhile makes nothing where it was.
func TestNothingIsNotedOfWhatIsGone(t *testing.T) {
	j := create(t)
	require.NoError(t, os.RemoveAll(j.Root))
	j.NoteBase("mark")
	assert.Empty(t, j.NewID())
	assert.NoDirExists(t, j.Root)
}
