package jar_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/jartest"
	"glassjar/core/jar"
	"glassjar/core/wheel"
)

// What makes an interpreter that a jar only links to, and a wheel.
var pretend, pack = jartest.Python, jartest.Wheel

func create(t *testing.T) *jar.Jar { return jartest.Create(t, filepath.Join(t.TempDir(), ".jar")) }

func add(wheels ...*wheel.Wheel) jar.Change {
	var c jar.Change
	for _, w := range wheels {
		c.Add = append(c.Add, jar.Addition{Wheel: w, Requested: true})
	}
	return c
}

// files lists all of a jar but the program's own.
func files(t *testing.T, j *jar.Jar) []string {
	var out []string
	require.NoError(t, filepath.WalkDir(j.Root, func(p string, e os.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			rel, _ := filepath.Rel(j.Root, p)
			if rel = filepath.ToSlash(rel); !strings.HasPrefix(rel, "glassjar/") && !strings.HasPrefix(rel, "bin/python") {
				out = append(out, rel)
			}
		}
		return err
	}))
	return out
}

const site = "lib/python3.12/site-packages/"

func read(t *testing.T, j *jar.Jar, file string) string {
	data, err := os.ReadFile(j.Path(file))
	require.NoError(t, err)
	return string(data)
}

// emptyJar are the files of a jar with nothing in it, but for the interpreter.
var emptyJar = []string{".gitignore", "bin/activate", "bin/activate.csh", "bin/activate.fish", "bin/activate.nu", "bin/activate.ps1", "pyvenv.cfg"}

func TestCreate(t *testing.T) {
	j := create(t)
	assert.Equal(t, emptyJar, files(t, j))
	assert.Contains(t, read(t, j, "pyvenv.cfg"), "include-system-site-packages = false\nversion = 3.12.1\nprompt = orchard\n")
	base, err := j.Base()
	require.NoError(t, err)
	assert.Equal(t, "python3.12", filepath.Base(base))
	for _, name := range []string{"bin/python", "bin/python3", "bin/python3.12"} {
		_, err := os.Stat(j.Path(name))
		assert.NoError(t, err, name)
	}

	var exists *jar.ExistsError
	_, err = jar.Create(context.Background(), j.Root, pretend(t), jar.Options{})
	require.ErrorAs(t, err, &exists)
	assert.True(t, exists.Jar)
	other := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(other, "mine"), nil, 0o644))
	_, err = jar.Create(context.Background(), other, pretend(t), jar.Options{})
	require.ErrorAs(t, err, &exists)
	assert.False(t, exists.Jar)

	require.NoError(t, os.Remove(base))
	var gone *jar.InterpreterGoneError
	_, err = j.Base()
	assert.ErrorAs(t, err, &gone)
}

func TestOpenRefusesWhatIsNoJar(t *testing.T) {
	j := create(t)
	state := j.Path("glassjar/jar.json")
	for text, want := range map[string]string{
		"{":                                      "damaged",
		`{"format": 1, "program": "other"}`:      "damaged",
		`{"format": 99, "program": "glassjar"}`:  "format 99",
		`{"format": 0, "program": "glassjar"}`:   "damaged",
		`{"format": 1, "program": ["glassjar"]}`: "damaged",
	} {
		require.NoError(t, os.WriteFile(state, []byte(text), 0o644))
		_, err := jar.Open(j.Root)
		assert.ErrorContains(t, err, want, text)
		assert.Error(t, jar.Discard(j.Root, j.Root+".trash"), text)
	}
	_, err := jar.Open(filepath.Join(j.Root, "nowhere"))
	assert.ErrorContains(t, err, "no such folder")
}

func TestApply(t *testing.T) {
	j := create(t)
	entry := "[console_scripts]\npress = press.plan:main\n[gui_scripts]\npress-view = press.plan:Window.open\n"
	w := pack(t, "press", "1.0", entry, "press/plan.py=x = 1\n", "press-1.0.data/scripts/tool=#!python -E\nprint(1)\n",
		"press-1.0.data/scripts/old=#!pythonw\n# -*- coding: latin-1 -*-\nprint(2)\n", "press-1.0.data/scripts/native=\x7fELF",
		"press-1.0.data/data/share/press/day.txt=noon", "press-1.0.data/headers/press.h=int x;", "press-1.0.dist-info/INSTALLER=someone else\n")
	require.NoError(t, apply(t, j, add(w)))
	info := site + "press-1.0.dist-info/"
	assert.ElementsMatch(t, append(slices.Clone(emptyJar), "bin/native", "bin/old", "bin/press", "bin/press-view", "bin/tool",
		"include/site/python3.12/press/press.h", info+"INSTALLER", info+"METADATA", info+"RECORD", info+"REQUESTED", info+"WHEEL",
		info+"entry_points.txt", site+"press/plan.py", "share/press/day.txt"), files(t, j))
	assert.Equal(t, "glassjar\n", read(t, j, info+"INSTALLER"))

	// Scripts begin with the launcher and hold no path; a coding line keeps its
	// place among the first two.
	for file, want := range map[string]string{
		"bin/press":      "from press.plan import main as entry",
		"bin/press-view": "sys.exit(entry.open())",
		"bin/tool":       "'''\nprint(1)\n",
		"bin/old":        "#!/bin/sh\n# -*- coding: latin-1 -*-\n''':'",
	} {
		text := read(t, j, file)
		assert.True(t, strings.HasPrefix(text, "#!/bin/sh\n# -*- coding: "), file)
		assert.Contains(t, text, want, file)
		assert.NotContains(t, text, j.Root)
	}
	assert.Equal(t, "\x7fELF", read(t, j, "bin/native"))

	// RECORD lists every file with its hash, whatever the scheme.
	installed, err := j.Installed()
	require.NoError(t, err)
	require.Len(t, installed, 1)
	assert.True(t, installed[0].Requested)
	survey, err := j.Survey(installed)
	require.NoError(t, err)
	assert.Empty(t, survey.Faults)
	assert.Empty(t, survey.Unknown)
	assert.Equal(t, len(files(t, j))-len(emptyJar), survey.Files)

	// It goes without a trace, bytecode included.
	require.NoError(t, os.MkdirAll(j.Path(site+"press/__pycache__"), 0o755))
	require.NoError(t, os.WriteFile(j.Path(site+"press/__pycache__/plan.cpython-312.pyc"), nil, 0o644))
	require.NoError(t, apply(t, j, jar.Change{Remove: installed}))
	assert.Equal(t, emptyJar, files(t, j))
	_, err = os.Stat(j.Path(site + "press"))
	assert.ErrorIs(t, err, os.ErrNotExist)
	_, err = os.Stat(j.Path("share"))
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestClashesAreRefusedAndNothingChanges(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "hives", "1.0", "", "orchard/hives.py=1"))))
	before := files(t, j)
	for name, c := range map[string]struct {
		change   jar.Change
		old, new string
	}{
		"with what is there": {add(pack(t, "bees", "1.0", "", "orchard/hives.py=2")), "hives", "bees"},
		"with each other":    {add(pack(t, "a", "1.0", "", "shared.py=1"), pack(t, "b", "1.0", "", "shared.py=2")), "a", "b"},
		"with the jar":       {add(pack(t, "c", "1.0", "", "c-1.0.data/data/pyvenv.cfg=home = /")), "", "c"},
		"with the program":   {add(pack(t, "d", "1.0", "", "d-1.0.data/data/glassjar/jar.json={}")), "", "d"},
		"with activation":    {add(pack(t, "e", "1.0", "", "e-1.0.data/scripts/activate=rm")), "", "e"},
		"with python":        {add(pack(t, "f", "1.0", "", "f-1.0.data/scripts/python=rm")), "", "f"},
	} {
		var clash *jar.ClashError
		require.ErrorAs(t, apply(t, j, c.change), &clash, name)
		assert.Equal(t, c.old, clash.Old, name)
		assert.Equal(t, c.new, clash.New, name)
		assert.Equal(t, before, files(t, j), name)
	}
	// Nor does a wheel make up a description, or part of one, in a site folder.
	for name, file := range map[string]string{
		"by a scheme": "g-1.0.data/purelib/other-1.0.dist-info/METADATA", "by the data": "g-1.0.data/data/" + site + "hives-1.0.dist-info/RECORD",
		"as a file": "g-1.0.data/data/" + site + "hives-9.egg-info", "in capitals": "g-1.0.data/purelib/other-1.0.DIST-INFO/METADATA",
	} {
		var refused *wheel.Refusal
		require.ErrorAs(t, apply(t, j, add(pack(t, "g", "1.0", "", file+"=x"))), &refused, name)
		assert.Equal(t, before, files(t, j), name)
	}
	// Where something of the jar's is missing it is not brought by a wheel.
	require.NoError(t, os.Remove(j.Path("bin/activate")))
	var own *jar.ClashError
	require.ErrorAs(t, apply(t, j, add(pack(t, "e", "1.0", "", "e-1.0.data/scripts/activate=rm"))), &own)
	assert.True(t, own.Own)
	require.NoError(t, j.WriteActivation())
	// A RECORD that names what belongs to others, or to the jar, takes nothing of it.
	require.NoError(t, apply(t, j, add(pack(t, "thief", "1.0", "", "thief.py=1"))))
	record := j.Path(site, "thief-1.0.dist-info", "RECORD")
	data, err := os.ReadFile(record)
	require.NoError(t, err)
	more := "orchard/hives.py,,\nhives-1.0.dist-info/METADATA,,\nhives-1.0.dist-info/extra,,\n../../../bin/activate,,\n../../../bin/python,,\n../../../pyvenv.cfg,,\n../../../glassjar/jar.json,,\n../../../../outside,,\n"
	require.NoError(t, os.WriteFile(record, append(data, more...), 0o644))
	installed, err := j.Installed()
	require.NoError(t, err)
	for _, d := range installed {
		if d.Key() == "thief" {
			require.NoError(t, apply(t, j, jar.Change{Remove: []jar.Installed{d}}))
		}
	}
	assert.Equal(t, before, files(t, j))
	assert.FileExists(t, j.Path("glassjar", "jar.json"))
	// A folder that two distributions share is fine.
	require.NoError(t, apply(t, j, add(pack(t, "bees", "1.0", "", "orchard/bees.py=2"))))
}

func TestApplyIsAllOrNothing(t *testing.T) {
	j := create(t)
	spec := filepath.Join(filepath.Dir(j.Root), "pyproject.toml")
	require.NoError(t, os.WriteFile(spec, []byte("old"), 0o600))
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=1"))))
	before := files(t, j)
	installed, err := j.Installed()
	require.NoError(t, err)

	// The second wheel cannot be put in place: its target is a folder with
	// something in it.
	require.NoError(t, os.MkdirAll(j.Path(site+"cider.py/inside"), 0o755))
	change := add(pack(t, "press", "2.0", "", "press.py=2"), pack(t, "cider", "1.0", "", "cider.py=1"))
	change.Remove, change.Spec, change.Outside.Spec = installed, &jar.Text{Data: []byte("new")}, spec
	require.Error(t, apply(t, j, change))
	assert.Equal(t, before, files(t, j))
	assert.Equal(t, "1", read(t, j, site+"press.py"))
	data, err := os.ReadFile(spec)
	require.NoError(t, err)
	assert.Equal(t, "old", string(data))

	// A context that has ended changes nothing.
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	held, release, err := hold(t, j.Root, change.Outside)
	require.NoError(t, err)
	assert.ErrorIs(t, held.Apply(ended, change), context.Canceled)
	release()
	assert.Equal(t, before, files(t, j))

	// Once the way is free it goes through, files outside included, their mode
	// kept.
	require.NoError(t, os.RemoveAll(j.Path(site+"cider.py")))
	require.NoError(t, apply(t, j, change))
	assert.Equal(t, "2", read(t, j, site+"press.py"))
	data, err = os.ReadFile(spec)
	require.NoError(t, err)
	assert.Equal(t, "new", string(data))
	info, err := os.Stat(spec)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	left, err := filepath.Glob(filepath.Join(filepath.Dir(spec), "*glassjar-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestRequestedIsCorrected(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press.py=1"))))
	for _, want := range []bool{false, false, true, true} {
		require.NoError(t, apply(t, j, jar.Change{Requested: map[string]bool{"press": want}}))
		installed, err := j.Installed()
		require.NoError(t, err)
		assert.Equal(t, want, installed[0].Requested)
		s, err := j.Survey(installed)
		require.NoError(t, err)
		assert.Empty(t, s.Faults)
		assert.Empty(t, s.Unknown)
	}
}

func TestDiscard(t *testing.T) {
	j := create(t)
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", "", "press-1.0.data/data/odd/place.txt=1"))))
	require.NoError(t, os.WriteFile(j.Path("mine.txt"), nil, 0o644))
	var own *jar.OwnThingsError
	require.True(t, errors.As(jar.Discard(j.Root, j.Root+".trash"), &own))
	assert.Equal(t, []string{"mine.txt"}, own.Files)
	require.NoError(t, os.Remove(j.Path("mine.txt")))
	require.NoError(t, jar.Discard(j.Root, j.Root+".trash"))
	left, err := os.ReadDir(filepath.Dir(j.Root))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// A jar of Windows, made here as data: scripts are text and launcher.
func TestWindowsJar(t *testing.T) {
	in := pretend(t)
	in.Said.OSName, in.Said.SysPlatform, in.Said.LibraryFolder = "nt", "win32", "DLLs"
	jar.PretendLaunchers(t)
	j, err := jar.Create(context.Background(), filepath.Join(t.TempDir(), ".jar"), in, jar.Options{Prompt: "orchard"})
	require.NoError(t, err)
	entry := "[console_scripts]\npress = press:main\n"
	require.NoError(t, apply(t, j, add(pack(t, "press", "1.0", entry, "press.py=1", "press-1.0.data/scripts/tool.py=#!python\nprint(1)\n"))))
	got := strings.Join(files(t, j), " ")
	for _, want := range []string{"Scripts/press.exe", "Scripts/launch/press", "Scripts/tool.exe", "Scripts/launch/tool", "Lib/site-packages/press.py", "Scripts/python.exe"} {
		assert.Contains(t, got, want)
	}
	installed, err := j.Installed()
	require.NoError(t, err)
	s, err := j.Survey(installed)
	require.NoError(t, err)
	assert.Empty(t, s.Faults)
	assert.Empty(t, s.Unknown)
	require.NoError(t, apply(t, j, jar.Change{Remove: installed}))
	assert.NotContains(t, strings.Join(files(t, j), " "), "press")
	// A command that would be run in place of the jar's own, and one that no file can have.
	for _, name := range []string{"activate", "Python", "nul", "aux.view"} {
		var refusal *wheel.Refusal
		require.ErrorAs(t, apply(t, j, add(pack(t, "mill", "1.0", "[console_scripts]\n"+name+" = mill:main\n", "mill.py=1"))), &refusal, name)
		assert.Equal(t, name, refusal.Path)
	}
	// Names that differ in case only are the same file there.
	var clash *jar.ClashError
	assert.ErrorAs(t, apply(t, j, add(pack(t, "a", "1.0", "", "Press.py=1"), pack(t, "b", "1.0", "", "press.py=1"))), &clash)
}
