package jar_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/store"
)

func TestSurveyFindsEveryChange(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "[console_scripts]\npress = press:main\n", "press.py=1", "a.py=2", "b.py=3"))))
	installed, err := j.Installed()
	require.NoError(t, err)
	label, err := j.Label(installed)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(j.Path(site+"a.py"), []byte("9"), 0o644))
	require.NoError(t, os.Remove(j.Path(site+"b.py")))
	require.NoError(t, os.Remove(j.Path("bin/press")))
	require.NoError(t, os.Symlink("/bin/sh", j.Path("bin/press")))
	for _, f := range []string{"junk.py", "__pycache__/press.cpython-312.pyc", "__pycache__/junk2.cpython-312.pyc"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(j.Path(site+f)), 0o755))
		require.NoError(t, os.WriteFile(j.Path(site+f), nil, 0o644))
	}
	assert.Equal(t, []string{"bin/press", site + "a.py"}, j.Edited(installed[0]), "what is missing is nobody's work")
	s, err := j.Survey(installed)
	require.NoError(t, err)
	assert.Equal(t, []jar.Fault{{Path: "bin/press", Owner: "press", What: "changed"}, {Path: site + "a.py", Owner: "press", What: "changed"}, {Path: site + "b.py", Owner: "press", What: "missing"}}, s.Faults)
	assert.Equal(t, []string{site + "__pycache__/junk2.cpython-312.pyc", site + "junk.py"}, s.Unknown)
	changed, err := j.Label(installed)
	require.NoError(t, err)
	assert.NotEqual(t, label, changed)
	assert.False(t, s.Whole("press"))

	// What the system does not give is not called missing; where it is the RECORD, or that is none,
	// nobody knows what belongs beside it.
	info := j.Path(site + "press-1.0.dist-info")
	for what, put := range map[string]func() error{
		jar.Changed:    func() error { return os.WriteFile(filepath.Join(info, "RECORD"), []byte("\"press.py"), 0o644) },
		jar.Unreadable: func() error { return os.Symlink("RECORD", filepath.Join(info, "RECORD")) }, // it leads to itself
		jar.Missing:    func() error { return nil },
	} {
		require.NoError(t, os.RemoveAll(filepath.Join(info, "RECORD")))
		require.NoError(t, put())
		s, err = j.Survey(installed)
		require.NoError(t, err)
		assert.Equal(t, []jar.Fault{{Path: site + "press-1.0.dist-info/RECORD", Owner: "press", What: what}}, s.Faults)
		for _, f := range s.Unknown {
			assert.NotContains(t, f, "dist-info")
		}
	}
}

// What belongs to nothing goes, also out of the description of one that stays while others leave.
func TestDropsBesideRemovals(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=1"), pack(t, "crate", "1.0", "", "crate.py=2"))))
	stray := site + "crate-1.0.dist-info/added.py"
	require.NoError(t, os.WriteFile(j.Path(stray), nil, 0o644))
	installed, err := j.Installed()
	require.NoError(t, err)
	require.NoError(t, apply(t, j, jar.Change{Remove: installed[1:], Drop: []string{stray}}))
	assert.NotContains(t, files(t, j), stray)
	assert.Contains(t, files(t, j), site+"crate.py")
}

func TestDamagedDistributionIsStillListedAndRemoved(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=1"))))
	require.NoError(t, os.WriteFile(j.Path(site+"press-1.0.dist-info/METADATA"), []byte("nonsense"), 0o644))
	installed, err := j.Installed()
	require.NoError(t, err)
	require.Len(t, installed, 1)
	assert.NotEmpty(t, installed[0].Damage)
	assert.Equal(t, "1.0", installed[0].Version().String())
	require.NoError(t, os.Remove(j.Path(site+"press-1.0.dist-info/RECORD")))
	require.NoError(t, apply(t, j, jar.Change{Remove: installed, Drop: []string{site + "press.py"}}))
	assert.Equal(t, emptyJar, files(t, j))
}

// One whose RECORD tells nothing is put in place anew over what is there of it, but never over
// what another has.
func TestLostRecordIsMended(t *testing.T) {
	for what, lose := range map[string]func(record string) error{
		"missing": os.Remove,
		"damaged": func(record string) error { return os.WriteFile(record, []byte("press.py\""), 0o644) },
	} {
		j := create(t)
		require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=1"), pack(t, "crate", "1.0", "", "crate.py=2"))))
		require.NoError(t, os.WriteFile(j.Path(site+"press.py"), []byte("9"), 0o644))
		require.NoError(t, lose(j.Path(site+"press-1.0.dist-info/RECORD")), what)
		installed, err := j.Installed()
		require.NoError(t, err)
		change := add(pack(t, "press", "1.0", "", "press.py=1", "crate.py=3"))
		change.Remove = installed[1:]
		var clash *jar.ClashError
		require.ErrorAs(t, apply(t, j, change), &clash, what)
		assert.Equal(t, "9", read(t, j, site+"press.py"), what)
		change = add(pack(t, "press", "1.0", "", "press.py=1"))
		change.Remove = installed[1:]
		require.NoError(t, apply(t, j, change), what)
		assert.Equal(t, "1", read(t, j, site+"press.py"), what)
		survey, err := j.Survey(installed)
		require.NoError(t, err)
		assert.Empty(t, survey.Faults, what)
		assert.Empty(t, survey.Unknown, what)
	}
}

// What stands below a link in a jar is somebody else's: nothing of it is taken, changed or counted.
func TestNothingBelowALinkIsTheJars(t *testing.T) {
	mine := map[string]string{"__init__.py": "mine", "notes.txt": "mine too"}
	for what, at := range map[string]string{"a package": site + "press", "all packages": "lib/python3.12/site-packages", "a library": "lib"} {
		j := create(t)
		w := pack(t, "press", "1.0", "", "press/__init__.py=1", "press/more.py=2")
		require.NoError(t, apply(t, j, add(w)))
		installed, err := j.Installed()
		require.NoError(t, err)
		elsewhere := t.TempDir()
		for name, text := range mine {
			require.NoError(t, os.MkdirAll(filepath.Join(elsewhere, "press"), 0o755))
			require.NoError(t, os.WriteFile(filepath.Join(elsewhere, name), []byte(text), 0o644))
			require.NoError(t, os.WriteFile(filepath.Join(elsewhere, "press", name), []byte(text), 0o644))
		}
		if at == site+"press" {
			require.NoError(t, os.RemoveAll(j.Path(at)))
		} else {
			require.NoError(t, os.Rename(j.Path(at), j.Path("aside")))
		}
		if err := os.Symlink(elsewhere, j.Path(at)); err != nil {
			t.Skipf("no links to folders here: %v", err)
		}
		survey, err := j.Survey(installed)
		require.NoError(t, err)
		assert.Contains(t, survey.Unknown, strings.TrimSuffix(at, "/"), what)
		assert.NotEmpty(t, survey.Faults, what)
		for _, f := range survey.Faults {
			assert.Equal(t, jar.Missing, f.What, what)
		}
		var clash *jar.ClashError
		require.ErrorAs(t, apply(t, j, jar.Change{Remove: installed, Add: add(w).Add}), &clash, what)
		assert.Equal(t, at, clash.Path, what)
		require.NoError(t, apply(t, j, jar.Change{Remove: installed}), what)
		_, err = j.AddBytecode(installed, "cpython-312", &store.Placer{}, func(string) string { return filepath.Join(elsewhere, "notes.txt") })
		require.NoError(t, err, what)
		require.NoError(t, apply(t, j, jar.Change{Drop: []string{at}, Add: add(w).Add}), what)
		assert.Equal(t, "1", read(t, j, site+"press/__init__.py"), what)
		for _, dir := range []string{elsewhere, filepath.Join(elsewhere, "press")} {
			entries, err := os.ReadDir(dir)
			require.NoError(t, err)
			for _, e := range entries {
				if !e.IsDir() {
					data, err := os.ReadFile(filepath.Join(dir, e.Name()))
					require.NoError(t, err)
					assert.Equal(t, mine[e.Name()], string(data), what)
				}
			}
		}
	}
}

func TestRecordThatLeadsOutIsNotFollowed(t *testing.T) {
	j := create(t)
	outside := filepath.Join(filepath.Dir(j.Root), "precious")
	require.NoError(t, os.WriteFile(outside, []byte("keep"), 0o644))
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=1"))))
	record := j.Path(site + "press-1.0.dist-info/RECORD")
	bad := metadata.FormatRecord([]metadata.RecordEntry{{Path: "../../../../precious", Size: 4}, {Path: outside, Size: 4}, {Path: "../../../pyvenv.cfg", Size: -1}, {Path: "press.py", Size: 1}})
	require.NoError(t, os.WriteFile(record, bad, 0o644))
	installed, err := j.Installed()
	require.NoError(t, err)
	require.NoError(t, apply(t, j, jar.Change{Remove: installed}))
	data, err := os.ReadFile(outside)
	require.NoError(t, err)
	assert.Equal(t, "keep", string(data))
	assert.Contains(t, files(t, j), "pyvenv.cfg")
	assert.NotContains(t, files(t, j), site+"press.py")
}
