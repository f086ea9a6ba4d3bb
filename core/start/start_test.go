//go:build linux || darwin

package start_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/start"
	_ "glassjar/internal/long"
)

// What is kept is read as it was; whatever is cut short, or is not a program of the jar's,
// starts nothing.
func TestKeptAndRead(t *testing.T) {
	dir := t.TempDir()
	used, program := filepath.Join(dir, "used"), filepath.Join(dir, "bin", "press now")
	require.NoError(t, os.Mkdir(filepath.Dir(program), 0o755))
	for file, mode := range map[string]os.FileMode{used: 0o644, program: 0o755, filepath.Join(dir, "bin", "notes"): 0o644} {
		require.NoError(t, os.WriteFile(file, []byte("a \"quoted\"\nline\n"), mode))
		past := time.Now().Add(-time.Hour)
		require.NoError(t, os.Chtimes(file, past, past))
	}
	s := &start.Start{Dir: "/an odd\n\"folder\"", Seen: start.Seen{Used: used}, Python: "/p/python",
		Inside: start.Inside{Jar: dir, Bin: filepath.Dir(program), Prompt: "ja`r", SealedOff: true, Libraries: []string{"/l 1", "/l2"}}}
	s.Add(start.Folder, dir)
	s.Add(start.Target, filepath.Join(dir, "missing"))
	environ := []string{"HOME=/h", "PATH=/usr/bin", "PYTHONPATH=/x", "LD_LIBRARY_PATH=/own"}
	text := s.Text(environ)
	require.NotEmpty(t, text)
	file := start.File(filepath.Join(dir, "cache"), s.Dir)
	keep := func(text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	}
	read := func() *start.Start {
		s, err := start.Read(filepath.Join(dir, "cache"), "/an odd\n\"folder\"")
		if err != nil {
			return nil
		}
		return s
	}
	keep(text)
	again := read()
	require.NotNil(t, again)
	got, args, env := again.Launch([]string{"press now", "-x"}, environ)
	assert.Equal(t, program, got)
	assert.Equal(t, []string{"press now", "-x"}, args)
	assert.Equal(t, []string{"PYTHONNOUSERSITE=1", "HOME=/h", "LD_LIBRARY_PATH=/own:/l 1:/l2",
		"PATH=" + filepath.Dir(program) + ":/usr/bin", "VIRTUAL_ENV=" + dir, "VIRTUAL_ENV_PROMPT=ja`r"}, env)
	for _, command := range []string{"notes", "missing", "../used", "no.py"} {
		got, _, _ = again.Launch([]string{command}, environ)
		assert.Empty(t, got, command)
	}
	// What the jar does not have comes from PATH, as far as that does not depend on where one stands.
	mill := filepath.Join(dir, "mill")
	require.NoError(t, os.WriteFile(mill, nil, 0o755))
	for path, want := range map[string]string{"/nowhere:" + dir: mill, filepath.Dir(program) + ":" + dir: mill, "": "", "/nowhere": "", ":" + dir: "", "here:" + dir: "", dir + ":here": mill} {
		got, _, _ = again.Launch([]string{"mill"}, []string{"HOME=/h", "PATH=" + path})
		assert.Equal(t, want, got, path)
	}
	for _, environ := range [][]string{nil, {"HOME=/other"}, append(environ, "XDG_DATA_HOME=/d"), append(environ, "GLASSJAR_PYTHONS="), append(environ, "VIRTUAL_ENV=/v")} {
		got, _, _ = again.Launch([]string{"press now"}, environ)
		assert.Empty(t, got, environ)
	}
	for n := range text {
		keep(text[:n])
		require.Nil(t, read(), "the first %d bytes", n)
	}
	keep(text + text)
	assert.Nil(t, read())
}

// A file that has changed just now may change once more without showing it.
func TestFreshFilesAreNotKept(t *testing.T) {
	file := filepath.Join(t.TempDir(), "used")
	require.NoError(t, os.WriteFile(file, nil, 0o644))
	s := &start.Start{Dir: "/d", Seen: start.Seen{Used: file}}
	assert.NotEmpty(t, s.Text(nil))
	s.Add(start.Itself, file)
	assert.Empty(t, s.Text(nil))
}
