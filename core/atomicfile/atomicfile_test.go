package atomicfile_test

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/atomicfile"
	_ "glassjar/internal/long"
)

// names are those in a folder: no temporary may be among them.
func names(t *testing.T, dir string) (out []string) {
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out
}

func TestWrite(t *testing.T) {
	for _, c := range []struct {
		name, before, data, want string
		mode                     os.FileMode
		opt                      atomicfile.Options
	}{
		{"new", "", "a\n", "a\n", 0, atomicfile.Options{Mode: 0o600}},
		{"its mode is kept", "b", "a\n", "a\n", 0o640, atomicfile.Options{Mode: 0o600}},
		{"CRLF is kept", "b\r\nc\r\n", "a\nd\r\n", "a\r\nd\r\n", 0o644, atomicfile.Options{LineEnds: true}},
		{"mixed line ends are not", "b\r\nc\n", "a\n", "a\n", 0o644, atomicfile.Options{LineEnds: true}},
		{"nor without being asked to", "b\r\n", "a\n", "a\n", 0o644, atomicfile.Options{}},
	} {
		dir := t.TempDir()
		file := filepath.Join(dir, "spec")
		want := os.FileMode(0o600)
		if c.before != "" {
			require.NoError(t, os.WriteFile(file, []byte(c.before), c.mode))
			require.NoError(t, os.Chmod(file, c.mode))
			want = c.mode
		}
		require.NoError(t, atomicfile.Write(file, []byte(c.data), c.opt), c.name)
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, c.want, string(data), c.name)
		info, err := os.Stat(file)
		require.NoError(t, err)
		if runtime.GOOS != "windows" {
			assert.Equal(t, want, info.Mode().Perm(), c.name)
		}
		assert.Equal(t, []string{"spec"}, names(t, dir), c.name)
	}
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "folder"), 0o755))
	assert.Error(t, atomicfile.Write(filepath.Join(dir, "folder"), nil, atomicfile.Options{}))
	assert.Equal(t, []string{"folder"}, names(t, dir))
	// What is given up leaves the old file and nothing else.
	file := filepath.Join(dir, "given-up")
	require.NoError(t, os.WriteFile(file, []byte("old"), 0o644))
	noted := ""
	p, err := atomicfile.Stage(file, []byte("new"), atomicfile.Options{Temporary: func(prefix string) (string, func()) {
		noted = prefix + ".new-1"
		return noted, func() { noted = "" }
	}})
	require.NoError(t, err)
	assert.Equal(t, p.Temp, noted)
	p.Drop()
	p.Drop()
	assert.Empty(t, noted)
	assert.Equal(t, []string{"folder", "given-up"}, names(t, dir))
}

// What is streamed appears whole or not at all, and through a link as what is written does.
func TestStream(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "press.zip")
	require.NoError(t, os.WriteFile(file, []byte("old"), 0o644))
	fault := errors.New("the wheel is damaged")
	fill := func(text string, err error) func(io.Writer) error {
		return func(to io.Writer) error {
			_, _ = io.WriteString(to, text)
			return err
		}
	}
	require.ErrorIs(t, atomicfile.Stream(file, atomicfile.Options{}, fill("half", fault)), fault)
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "old", string(data))
	require.NoError(t, atomicfile.Stream(file, atomicfile.Options{}, fill("new", nil)))
	data, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "new", string(data))
	assert.Equal(t, []string{"press.zip"}, names(t, dir))
	require.Error(t, atomicfile.Stream(dir, atomicfile.Options{}, fill("new", nil)))
	if runtime.GOOS == "windows" {
		return
	}
	require.NoError(t, os.Symlink(file, filepath.Join(dir, "link")))
	var link *atomicfile.LinkError
	require.ErrorAs(t, atomicfile.Stream(filepath.Join(dir, "link"), atomicfile.Options{}, fill("other", nil)), &link)
	require.NoError(t, atomicfile.Stream(filepath.Join(dir, "link"), atomicfile.Options{Within: dir}, fill("other", nil)))
	data, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "other", string(data))
}

// A link stays one and what it leads to is written, inside of a folder; one that leads
// out is refused, and so is each where no folder is named.
func TestLinks(t *testing.T) {
	top := t.TempDir()
	project, outside := filepath.Join(top, "project"), filepath.Join(top, "project-else")
	require.NoError(t, os.MkdirAll(filepath.Join(project, "deep"), 0o755))
	require.NoError(t, os.Mkdir(outside, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(outside, "rc"), []byte("mine"), 0o644))
	for _, c := range []struct {
		target, within string
		refused        bool
	}{
		{"deep/real", project, false}, {filepath.Join(project, "deep", "real"), project, false}, {"../project-else/rc", project, true}, {filepath.Join(outside, "rc"), project, true}, {"deep/real", "", true}, {"../project-else/new", project, true},
	} {
		link := filepath.Join(project, "link")
		os.Remove(link)
		if err := os.Symlink(c.target, link); err != nil {
			t.Skipf("no links here: %v", err)
		}
		err := atomicfile.Write(link, []byte("new"), atomicfile.Options{Within: c.within})
		var bad *atomicfile.LinkError
		if c.refused {
			require.ErrorAs(t, err, &bad, c.target)
			assert.Equal(t, link, bad.Path)
			continue
		}
		require.NoError(t, err, c.target)
		data, err := os.ReadFile(filepath.Join(project, "deep", "real"))
		require.NoError(t, err)
		assert.Equal(t, "new", string(data))
		have, err := os.Readlink(link)
		require.NoError(t, err)
		assert.Equal(t, c.target, have)
	}
	data, err := os.ReadFile(filepath.Join(outside, "rc"))
	require.NoError(t, err)
	assert.Equal(t, "mine", string(data))
	assert.Equal(t, []string{"rc"}, names(t, outside))
}

// Many that write one file of a cache leave one of their texts, whole.
func TestCache(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "a", "b", "kept")
	var group sync.WaitGroup
	for n := range 16 {
		group.Go(func() { assert.NoError(t, atomicfile.Cache(file, []byte{byte(n), byte(n)})) })
	}
	group.Wait()
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Len(t, data, 2)
	assert.Equal(t, data[0], data[1])
	assert.Equal(t, []string{"kept"}, names(t, filepath.Dir(file)))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "file"), nil, 0o644))
	assert.Error(t, atomicfile.Cache(filepath.Join(dir, "file", "x"), nil))
	_, err = atomicfile.BeginCache(filepath.Join(dir, "file", "x"))
	assert.Error(t, err)

	// One that comes piece by piece has its place in the end, or is nowhere.
	for _, begin := range []func(string) (*atomicfile.Cached, error){atomicfile.BeginCache, atomicfile.Besides} {
		for _, whole := range []bool{true, false} {
			require.NoError(t, os.WriteFile(file, []byte("before"), 0o600))
			f, err := begin(file)
			require.NoError(t, err)
			_, err = f.WriteString("..ter")
			require.NoError(t, err)
			_, err = f.WriteAt([]byte("af"), 0)
			require.NoError(t, err)
			want := "before"
			if whole {
				require.NoError(t, f.Commit())
				want = "after"
			}
			f.Drop()
			have, err := os.ReadFile(file)
			require.NoError(t, err)
			assert.Equal(t, want, string(have))
			assert.Equal(t, []string{"kept"}, names(t, filepath.Dir(file)))
		}
	}
	f, err := atomicfile.BeginCache(file)
	require.NoError(t, err)
	_, err = f.WriteString("copied")
	require.NoError(t, err)
	require.NoError(t, f.Copied())
	f.Drop()
	have, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "copied", string(have))
	assert.Equal(t, []string{"kept"}, names(t, filepath.Dir(file)))
}
