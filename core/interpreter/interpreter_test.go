package interpreter_test

import (
	"context"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/interpreter"
	"glassjar/core/tags"
	_ "glassjar/internal/long"
)

var ctx = context.Background()

// real is any Python 3 of this machine.
func real(t *testing.T) interpreter.Found {
	f, _, ok := interpreter.NewFinder(nil).First(ctx, func(in interpreter.Interpreter) bool { return strings.HasPrefix(in.Said.Version, "3.") })
	if !ok {
		t.Skip("this machine has no Python 3 to ask")
	}
	return f
}

func program(t *testing.T, dir, name, text string) {
	require.NoError(t, os.MkdirAll(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o755))
}

// What stands on PATH under a Python's name and is none is passed over, and
// said why.
func TestBadCandidatesArePassedOver(t *testing.T) {
	f := real(t)
	dir := t.TempDir()
	program(t, dir, "python3.1", "#!/bin/sh\necho 'no such version is set up' >&2\necho more >&2\nexit 127\n")
	program(t, dir, "python3.3", "#!/bin/sh\necho hello\n")
	program(t, dir, "python3.4", "\x7fELF\x02\x01\x01\x00nothing that runs here")
	program(t, dir, "python3.5", "#!/nowhere/interpreter\n")
	program(t, dir, "python3.6", "#!/bin/sh\necho '{\"version\": \"three\", \"executable\": \"x\"}'\n")
	require.NoError(t, os.Symlink(filepath.Join(dir, "gone"), filepath.Join(dir, "python3.7")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "python3.8"), nil, 0o644))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "python3.9"), 0o755))
	program(t, dir, "python-config", "#!/bin/sh\nexit 1\n")
	program(t, dir, "python3", "#!/bin/sh\nexec '"+f.Path+"' \"$@\"\n")

	finder := &interpreter.Finder{Path: []string{dir, "relative"}}
	found, passed := finder.All(ctx)
	// Beside other work a Python may take longer than this one is waited for.
	silent := t.TempDir()
	program(t, silent, "python3.2", "#!/bin/sh\nsleep 60\n")
	_, late := (&interpreter.Finder{Path: []string{silent}, Timeout: 300 * time.Millisecond}).All(ctx)
	why := map[string]string{}
	for _, r := range append(passed, late...) {
		if in := filepath.Dir(r.Path); in == dir || in == silent {
			why[filepath.Base(r.Path)] = r.Why
		}
	}
	for name, says := range map[string]string{
		"python3.1": "no such version is set up", "python3.2": "no answer in 300ms", "python3.3": "not a Python", "python3.4": "another processor",
		"python3.5": "gone", "python3.6": "which Python it is", "python3.7": "link to a file", "python3.8": "not a program",
	} {
		assert.Contains(t, why[name], says, name)
	}
	assert.Len(t, why, 8)
	// The stand-in that works names the real one, and jars link to that.
	require.NotEmpty(t, found)
	assert.Equal(t, filepath.Join(dir, "python3"), found[0].Place)
	assert.Equal(t, f.Path, found[0].Path)
	assert.Equal(t, "path", found[0].Source)
}

func TestFoldersAreSearched(t *testing.T) {
	f := real(t)
	dir := t.TempDir()
	for _, sub := range []string{"one/bin", "two/bin"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, sub), 0o755))
	}
	require.NoError(t, os.Symlink(f.Path, filepath.Join(dir, "one/bin/python3")))
	finder := &interpreter.Finder{Folders: []string{dir}}
	found, _, ok := finder.First(ctx, func(in interpreter.Interpreter) bool { return in.Path == f.Path })
	require.True(t, ok)
	assert.Equal(t, f.Said.Version, found.Said.Version)
	_, _, ok = finder.First(ctx, func(interpreter.Interpreter) bool { return false })
	assert.False(t, ok)
}

// The second look starts nothing; a changed file is asked again.
func TestCache(t *testing.T) {
	f := real(t)
	dir := t.TempDir()
	log := filepath.Join(dir, "log")
	bin := filepath.Join(dir, "bin")
	program(t, bin, "python3", "#!/bin/sh\necho asked >>'"+log+"'\nexec '"+f.Path+"' \"$@\"\n")
	asked := func() int {
		data, _ := os.ReadFile(log)
		return strings.Count(string(data), "asked")
	}
	for n := range 3 {
		c := interpreter.OpenCache(filepath.Join(dir, "cache", "pythons.json"))
		finder := &interpreter.Finder{Path: []string{bin}, Cache: c}
		found, _, ok := finder.First(ctx, func(interpreter.Interpreter) bool { return true })
		require.True(t, ok)
		assert.Equal(t, f.Said.Version, found.Said.Version)
		assert.Equal(t, 1, asked(), n)
	}
	// The program that the stand-in starts is known from then on: there is no time to
	// ask it.
	over, cancel := context.WithCancel(ctx)
	cancel()
	hasty := &interpreter.Finder{Cache: interpreter.OpenCache(filepath.Join(dir, "cache", "pythons.json"))}
	itself, err := hasty.Ask(over, f.Path)
	require.NoError(t, err)
	assert.Equal(t, f.Said.Version, itself.Said.Version)
	_, err = (&interpreter.Finder{}).Ask(over, f.Path)
	assert.Error(t, err)

	program(t, bin, "python3", "#!/bin/sh\necho asked >>'"+log+"'\nexec '"+f.Path+"' \"$@\" \n")
	c := interpreter.OpenCache(filepath.Join(dir, "cache", "pythons.json"))
	_, err = (&interpreter.Finder{Cache: c}).Ask(ctx, filepath.Join(bin, "python3"))
	require.NoError(t, err)
	assert.Equal(t, 2, asked())

	require.NoError(t, os.WriteFile(filepath.Join(dir, "cache", "pythons.json"), []byte("{damaged"), 0o644))
	_, err = (&interpreter.Finder{Cache: interpreter.OpenCache(filepath.Join(dir, "cache", "pythons.json"))}).Ask(ctx, filepath.Join(bin, "python3"))
	require.NoError(t, err)
}

func TestWishes(t *testing.T) {
	cpython := func(v string) interpreter.Interpreter {
		return interpreter.Interpreter{Said: interpreter.Answer{Version: v, Implementation: "cpython"}}
	}
	pypy := interpreter.Interpreter{Said: interpreter.Answer{Version: "3.9.16", Implementation: "pypy"}}
	free := cpython("3.13.0")
	free.Said.FreeThreaded = true
	for text, c := range map[string]struct{ yes, no []interpreter.Interpreter }{
		"":            {[]interpreter.Interpreter{cpython("3.8.1"), pypy}, nil},
		"3.12":        {[]interpreter.Interpreter{cpython("3.12.0"), cpython("3.12.9")}, []interpreter.Interpreter{cpython("3.1.2"), cpython("3.13.0"), pypy}},
		"3":           {[]interpreter.Interpreter{cpython("3.12.0"), pypy}, []interpreter.Interpreter{cpython("2.7.18")}},
		"3.12.1":      {[]interpreter.Interpreter{cpython("3.12.1")}, []interpreter.Interpreter{cpython("3.12.2"), cpython("3.12.10")}},
		">=3.9,<3.12": {[]interpreter.Interpreter{cpython("3.9.0"), cpython("3.11.9"), pypy}, []interpreter.Interpreter{cpython("3.12.0"), cpython("3.8.9")}},
		"pypy":        {[]interpreter.Interpreter{pypy}, []interpreter.Interpreter{cpython("3.9.16")}},
		"pypy3.9":     {[]interpreter.Interpreter{pypy}, []interpreter.Interpreter{cpython("3.9.16")}},
		"cpython-3.9": {[]interpreter.Interpreter{cpython("3.9.16")}, []interpreter.Interpreter{pypy}},
		"python3.8":   {[]interpreter.Interpreter{cpython("3.8.2")}, []interpreter.Interpreter{cpython("3.9.0")}},
		"3.13t":       {[]interpreter.Interpreter{free}, []interpreter.Interpreter{cpython("3.13.0")}},
		"3.13":        {[]interpreter.Interpreter{cpython("3.13.0")}, []interpreter.Interpreter{free}},
	} {
		w, err := interpreter.ParseWish(text)
		require.NoError(t, err, text)
		for _, in := range c.yes {
			assert.True(t, w.Accepts(in), "%s and %v", text, in.Said)
		}
		for _, in := range c.no {
			assert.False(t, w.Accepts(in), "%s and %v", text, in.Said)
		}
	}
	w, err := interpreter.ParseWish("./bin/python")
	require.NoError(t, err)
	assert.True(t, filepath.IsAbs(w.Path))
	_, err = interpreter.ParseWish("snake")
	assert.ErrorContains(t, err, "names no Python")
}

// What interpreters of other systems would answer, read as data.
func TestAnswersOfOtherSystems(t *testing.T) {
	for name, c := range map[string]struct {
		in    interpreter.Interpreter
		abi   string
		arch  string
		first string
	}{
		"Windows": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.12.1", Implementation: "cpython", ExtSuffix: ".cp312-win_amd64.pyd", Bits: 64, Machine: "AMD64", OSName: "nt", SysPlatform: "win32"}},
			"cp312", "amd64", "cp312-cp312-win_amd64"},
		"32 bits on Windows": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.8.1", Implementation: "cpython", ExtSuffix: ".cp38-win32.pyd", Bits: 32, Machine: "AMD64", OSName: "nt", SysPlatform: "win32"}},
			"cp38", "win32", "cp38-cp38-win32"},
		"macOS on arm64": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.11.4", Implementation: "cpython", SOABI: "cpython-311-darwin", Bits: 64, Machine: "arm64", OSName: "posix", SysPlatform: "darwin", MacVersion: "14.2.1"}},
			"cp311", "arm64", "cp311-cp311-macosx_14_0_arm64"},
		"32 bits on Linux": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.7.1", Implementation: "cpython", SOABI: "cpython-37m-i386-linux-gnu", Bits: 32, Machine: "x86_64", OSName: "posix", SysPlatform: "linux"}, Libc: "glibc", LibcMajor: 2, LibcMinor: 31},
			"cp37m", "i686", "cp37-cp37m-manylinux_2_31_i686"},
		"musl": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.12.1", Implementation: "cpython", SOABI: "cpython-312-x86_64-linux-musl", Bits: 64, Machine: "x86_64", OSName: "posix", SysPlatform: "linux"}, Libc: "musl", LibcMajor: 1, LibcMinor: 2},
			"cp312", "x86_64", "cp312-cp312-musllinux_1_2_x86_64"},
		"free-threaded": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.13.0", Implementation: "cpython", SOABI: "cpython-313t-x86_64-linux-gnu", Bits: 64, Machine: "x86_64", OSName: "posix", SysPlatform: "linux", FreeThreaded: true}},
			"cp313t", "x86_64", "cp313-cp313t-linux_x86_64"},
		"Python 2": {interpreter.Interpreter{Said: interpreter.Answer{Version: "2.7.18", Implementation: "cpython", Bits: 64, Machine: "x86_64", OSName: "posix", SysPlatform: "linux", WideUnicode: true, WithPymalloc: true}},
			"cp27mu", "x86_64", "cp27-cp27mu-linux_x86_64"},
		"PyPy": {interpreter.Interpreter{Said: interpreter.Answer{Version: "3.9.16", Implementation: "pypy", SOABI: "pypy39-pp73", Bits: 64, Machine: "aarch64", OSName: "posix", SysPlatform: "linux"}},
			"pypy39_pp73", "aarch64", "pp39-pypy39_pp73-linux_aarch64"},
	} {
		assert.Equal(t, c.abi, c.in.ABI(), name)
		assert.Equal(t, c.arch, c.in.Arch(), name)
		list := c.in.Tags()
		require.NotEmpty(t, list, name)
		assert.Equal(t, c.first, list[0].String(), name)
		assert.Contains(t, list, tags.Tag{Interpreter: "py" + c.in.Said.Version[:1], ABI: "none", Platform: "any"}, name)
	}
}

func TestEnvironmentOfARealOne(t *testing.T) {
	f := real(t)
	env := f.Environment()
	assert.Equal(t, f.Minor(), env["python_version"])
	assert.Equal(t, f.Said.Version, env["python_full_version"])
	assert.Len(t, env, 11)
	for name, value := range env {
		assert.NotEmpty(t, value, name)
	}
}

// A Python that could not be asked since the machine was short of something, or since
// somebody killed it, is asked again, and is believed to be none for no moment.
func TestAskedAgain(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("stand-ins are shell scripts here")
	}
	dir := t.TempDir()
	count := filepath.Join(dir, "count")
	write := func(what string) string {
		path := filepath.Join(dir, "python3")
		script := "#!/bin/sh\necho x >> '" + count + "'\n" + what + "\necho '{\"version\": \"3.12.1\", \"implementation\": \"cpython\", \"executable\": \"/bin/sh\"}'\n"
		require.NoError(t, os.WriteFile(path, []byte(script), 0o755))
		return path
	}
	asked := func() int {
		data, err := os.ReadFile(count)
		require.NoError(t, err)
		return strings.Count(string(data), "x")
	}
	cache := filepath.Join(dir, "pythons.json")
	f := &interpreter.Finder{Path: []string{dir}, Cache: interpreter.OpenCache(cache)}
	// Once killed, the second answer counts.
	_, err := f.Ask(ctx, write("[ $(wc -l < '"+count+"') -gt 1 ] || kill -9 $$"))
	require.NoError(t, err)
	assert.Equal(t, 2, asked())
	for _, fault := range []string{"kill -9 $$", "echo 'fork: Resource temporarily unavailable' >&2; exit 1"} {
		require.NoError(t, os.WriteFile(count, nil, 0o644))
		path := write(fault)
		for range 2 {
			f = &interpreter.Finder{Path: []string{dir}, Cache: interpreter.OpenCache(cache)}
			_, err = f.Ask(ctx, path)
			var no interpreter.Rejection
			require.ErrorAs(t, err, &no)
			assert.True(t, no.Passing)
			f.Cache.Save()
		}
		assert.Equal(t, 2*3, asked(), "it is not remembered")
		// Whoever looks for one is told of it, and does not silently take another.
		_, passed, _ := f.First(ctx, func(interpreter.Interpreter) bool { return true })
		require.NotEmpty(t, passed)
		assert.True(t, passed[0].Passing)
	}
}
