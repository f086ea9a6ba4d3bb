package jar_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
	"glassjar/core/store"
	"glassjar/core/wheel"
	_ "glassjar/internal/long"
)

// What was edited is told by its time, without reading: unless that was put back.
func TestQuickSurvey(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=x = 1\n", "must.py=y = 2\n"))))
	installed, err := j.Installed()
	require.NoError(t, err)
	file := j.Path(site + "press.py")
	info, err := os.Stat(file)
	require.NoError(t, err)
	for _, c := range []struct {
		name       string
		do         func() error
		quick, all int
	}{
		{"as it was", func() error { return nil }, 0, 0},
		{"touched", func() error { return os.Chtimes(file, time.Now(), time.Now()) }, 0, 0},
		{"edited", func() error { return os.WriteFile(file, []byte("x = 2\n"), 0o644) }, 1, 1},
		{"its time put back", func() error { return os.Chtimes(file, info.ModTime(), info.ModTime()) }, 0, 1},
		{"gone", func() error { return os.Remove(file) }, 1, 1},
		{"a folder in its place", func() error { return os.Mkdir(file, 0o755) }, 1, 1},
	} {
		require.NoError(t, c.do(), c.name)
		quick, err := j.QuickSurvey(installed)
		require.NoError(t, err)
		assert.Len(t, quick.Faults, c.quick, c.name)
		all, err := j.Survey(installed)
		require.NoError(t, err)
		assert.Len(t, all.Faults, c.all, c.name)
		assert.Equal(t, all.Files, quick.Files)
	}
}

// A package that the jar does not have yet is moved into place as a folder, one of
// which it has a part file by file; either way all or nothing.
func TestFoldersMove(t *testing.T) {
	j := create(t)
	first := pack(t, "press", "1.0", "", "orchard/press.py=x = 1\n", "orchard/deep/a.py=", "solo/b.py=")
	require.NoError(t, apply(t, j, add(first)))
	second := pack(t, "must", "1.0", "", "orchard/must.py=", "orchard/deeper/c.py=", "alone/d.py=")
	require.NoError(t, apply(t, j, add(second)))
	for _, f := range []string{"orchard/press.py", "orchard/deep/a.py", "solo/b.py", "orchard/must.py", "orchard/deeper/c.py", "alone/d.py"} {
		assert.FileExists(t, j.Path(site+f))
	}
	before := files(t, j)
	// A step fails: nothing of it stays.
	third := add(pack(t, "cider", "1.0", "", "orchard/cider.py=", "cellar/e.py="))
	blocked := filepath.Join(t.TempDir(), "file", "record.toml")
	require.NoError(t, os.WriteFile(filepath.Dir(blocked), nil, 0o644))
	third.Record, third.Outside.Record = &jar.Text{Data: []byte("x")}, blocked
	require.Error(t, apply(t, j, third))
	assert.Equal(t, before, files(t, j))
	assert.NoDirExists(t, j.Path(site+"cellar"))
	// One that clashes with a file of another is refused before anything moves.
	var clash *jar.ClashError
	require.ErrorAs(t, apply(t, j, add(pack(t, "perry", "1.0", "", "orchard/must.py=z", "pear/f.py="))), &clash)
	assert.Equal(t, "must", clash.Old)
	assert.Equal(t, before, files(t, j))
	// Taken out again, each leaves what is the other's.
	installed, err := j.Installed()
	require.NoError(t, err)
	require.Equal(t, "must", installed[0].Key())
	require.NoError(t, apply(t, j, jar.Change{Remove: installed[:1]}))
	assert.NoDirExists(t, j.Path(site+"alone"))
	assert.NoDirExists(t, j.Path(site+"orchard/deeper"))
	assert.FileExists(t, j.Path(site+"orchard/press.py"))
}

// Wheels that come one after the other are staged while others are on their way;
// where one does not come, the jar is as it was.
func TestMore(t *testing.T) {
	j := create(t)
	coming := func(fail error, wheels ...*wheel.Wheel) jar.Change {
		var c jar.Change
		c.More = func(context.Context) (*jar.Addition, error) {
			if len(wheels) == 0 {
				return nil, fail
			}
			w := wheels[0]
			wheels = wheels[1:]
			return &jar.Addition{Wheel: w}, nil
		}
		return c
	}
	lost := errors.New("the index is gone")
	require.ErrorIs(t, apply(t, j, coming(lost, pack(t, "press", "1.0", "", "press.py="))), lost)
	installed, err := j.Installed()
	require.NoError(t, err)
	assert.Empty(t, installed)
	c := coming(nil, pack(t, "press", "1.0", "", "press.py="), pack(t, "must", "1.0", "", "must.py="))
	c.Final = func(own map[string]jar.OwnFile) error {
		own["glassjar/base"] = jar.OwnFile{Data: []byte("both came")}
		return nil
	}
	require.NoError(t, apply(t, j, c))
	if installed, err = j.Installed(); assert.NoError(t, err) {
		assert.Len(t, installed, 2)
	}
	assert.Equal(t, "both came", read(t, j, "glassjar/base"))
	c = coming(nil)
	c.Final = func(map[string]jar.OwnFile) error { return lost }
	assert.ErrorIs(t, apply(t, j, c), lost)
}

// Bytecode is put beside modules that are as they were installed and have none.
func TestAddBytecode(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=x = 1\n", "must.py=y = 2\n", "cider.py=z = 3\n", "notes.txt=none\n"))))
	installed, err := j.Installed()
	require.NoError(t, err)
	compiled := filepath.Join(t.TempDir(), "compiled")
	require.NoError(t, os.WriteFile(compiled, []byte("bytecode"), 0o444))
	require.NoError(t, os.WriteFile(j.Path(site+"must.py"), []byte("y = 3\n"), 0o644)) // edited
	own := j.Path(site + "__pycache__/cider.cpython-312.pyc")
	require.NoError(t, os.MkdirAll(filepath.Dir(own), 0o755))
	require.NoError(t, os.WriteFile(own, []byte("Python's own"), 0o644))
	for n, want := range []int{1, 0} {
		added, err := j.AddBytecode(installed, "cpython-312", &store.Placer{}, func(string) string { return compiled })
		require.NoError(t, err)
		assert.Equal(t, want, added, n)
	}
	assert.FileExists(t, j.Path(site+"__pycache__/press.cpython-312.pyc"))
	assert.NoFileExists(t, j.Path(site+"__pycache__/must.cpython-312.pyc"))
	data, err := os.ReadFile(own)
	require.NoError(t, err)
	assert.Equal(t, "Python's own", string(data))
	added, err := j.AddBytecode(installed, "pypy39", &store.Placer{}, func(string) string { return compiled + "-none" })
	require.NoError(t, err)
	assert.Zero(t, added)

	// All of it goes with its modules, Python's own too.
	s, err := j.Survey(installed)
	require.NoError(t, err)
	assert.Empty(t, s.Unknown)
	require.NoError(t, apply(t, j, jar.Change{Remove: installed}))
	assert.NoDirExists(t, j.Path(site+"__pycache__"))
}

// A jar whose lock nobody has taken is not changed.
func TestOnlyWhatIsHeldChanges(t *testing.T) {
	j, err := jar.Open(create(t).Root)
	require.NoError(t, err)
	assert.ErrorContains(t, j.Apply(context.Background(), add(pack(t, "press", "1.0", ""))), "is not held")
	installed, err := j.Installed()
	require.NoError(t, err)
	assert.Empty(t, installed)
}
