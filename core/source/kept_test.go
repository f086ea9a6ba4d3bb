package source

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// What is kept is found by how it was built, and by its wheel; what is gone is forgotten.
func TestKept(t *testing.T) {
	k := Kept{Dir: t.TempDir()}
	in := builder(t).Python
	plain := Source{Name: "press"}
	key := Key("ab", plain, in)
	for _, other := range []Source{{Name: "press", Subdirectory: "core"}, {Name: "press", Editable: true, Folder: "/orchard"},
		{Name: "press", Options: Options{Variables: map[string]string{"A": "1"}}}, {Name: "press", Options: Options{Shell: map[string]string{"CC": "cc"}}},
		{Name: "press", Options: Options{Settings: map[string]any{"a": "b"}}}, {Name: "press", Options: Options{Also: []string{"vat"}}}, {Name: "press", Options: Options{Open: true}}} {
		assert.NotEqual(t, key, Key("ab", other, in), "%+v", other)
	}
	assert.NotEqual(t, key, Key("cd", plain, in))
	assert.Equal(t, key, Key("ab", Source{Name: "press", Options: Options{Shell: map[string]string{"PATH": "/x"}}}, in), "of PATH what it leads to counts")

	_, ok := k.Find(key)
	assert.False(t, ok)
	wheel := filepath.Join(t.TempDir(), "w.whl")
	require.NoError(t, os.WriteFile(wheel, []byte("wheel"), 0o644))
	require.NoError(t, k.AddWheel(key, Made{Distribution: "press", SHA256: "11", Metadata: "Name: press"}, wheel))
	require.NoError(t, k.Add(Key("cd", plain, in), Made{Distribution: "vat", Metadata: "Name: vat"}))
	m, ok := k.Find(key)
	assert.True(t, ok)
	assert.Equal(t, "press", m.Distribution)
	assert.Len(t, k.All(), 2)
	_, at, ok := k.OfWheel("11")
	require.True(t, ok)
	data, err := os.ReadFile(at)
	require.NoError(t, err)
	assert.Equal(t, "wheel", string(data))
	_, _, ok = k.OfWheel("")
	assert.False(t, ok)
	k.Drop(func(sum string) bool { return sum != "11" })
	assert.Len(t, k.All(), 1)
	k.Drop(func(string) bool { return true })
	assert.Empty(t, k.All())
}

func TestRepositories(t *testing.T) {
	for text, want := range map[string]Repository{
		"git+https://git.orchard.example/press@v1.2#subdirectory=core":       {URL: "https://git.orchard.example/press", Requested: "v1.2", Subdirectory: "core"},
		"git+ssh://git@git.orchard.example/press.git":                        {URL: "ssh://git@git.orchard.example/press.git"},
		"git+file:///orchard/press@0123456789012345678901234567890123456789": {URL: "file:///orchard/press", Requested: "0123456789012345678901234567890123456789", Commit: "0123456789012345678901234567890123456789"},
	} {
		r, ok, err := ParseRepository(text)
		require.NoError(t, err, text)
		assert.True(t, ok)
		assert.Equal(t, want, r)
		assert.Equal(t, text, r.Address())
	}
	for _, bad := range []string{"git+ftp://x/y", "git+https://x/y@--upload-pack=z", "git+https://x/y@a:b", "git+https://x/y#subdirectory=../z", "svn+https://x/y", "git+://%"} {
		_, ok, err := ParseRepository(bad)
		assert.True(t, ok, bad)
		assert.Error(t, err, bad)
	}
	for text, want := range map[string]string{
		"git@orchard.example:mill/press.git": "git+ssh://git@orchard.example/mill/press.git", "git+git@orchard.example:/press": "git+ssh://git@orchard.example/press",
		"ssh://git@orchard.example/press": "git+ssh://git@orchard.example/press", "https://orchard.example/press.git@v1": "git+https://orchard.example/press.git@v1",
		"git+../press": "git+file:///orchard/press", "press@https://orchard.example/press.whl": "", "press==1": "", "../press": "", "git+https://orchard.example/press": "",
	} {
		assert.Equal(t, want, MeantRepository(text, func(path string) string { return filepath.Join("/orchard/mill", path) }), text)
	}
	_, ok, err := ParseRepository("https://orchard.example/press.tar.gz")
	assert.False(t, ok)
	assert.NoError(t, err)
	assert.NotEqual(t, Repository{Commit: "a"}.Sum(), Repository{Commit: "b"}.Sum())
}

// What of a folder decides what is built is hashed, and nothing else.
func TestFolderSum(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("pyproject.toml", "[project]\nname = 'press'\nversion = '1'\n")
	write("press.py", "x = 1")
	sum := func(of Of) string {
		s, err := FolderSum(ctx, dir, of)
		require.NoError(t, err)
		return s
	}
	for _, c := range []struct {
		file, text           string
		whole, editable, own bool // whether that changes it
	}{
		{"press.py", "x = 2", true, false, false},
		{"core.c", "int x;", true, true, true},
		{".jar/pyvenv.cfg", "home = x", false, false, false},
		{".jar/lib/x.py", "", false, false, false},
		{".git/HEAD", "x", false, false, false},
		{"press.egg-info/PKG-INFO", "x", false, false, false},
		{"pyproject.toml", "[project]\nname = 'press'\nversion = '1'\ndependencies = ['vat']\n[tool.glassjar]\nbuild-consent = ['press']\n", true, true, false},
		{"pyproject.toml", "[project]\nname = 'press'\nversion = '2'\n", true, true, true},
	} {
		before := []string{sum(Of{}), sum(Of{Editable: true}), sum(Of{Editable: true, Own: true})}
		write(c.file, c.text)
		after := []string{sum(Of{}), sum(Of{Editable: true}), sum(Of{Editable: true, Own: true})}
		for i, changes := range []bool{c.whole, c.editable, c.own} {
			assert.Equal(t, changes, before[i] != after[i], "%s, %d", c.file, i)
		}
	}
}

// Of variables the paths are seen, and what programs of a system need is found.
func TestPathsAndLibraries(t *testing.T) {
	dir := t.TempDir()
	bin := filepath.Join(dir, "bin", "cc")
	require.NoError(t, os.MkdirAll(filepath.Dir(bin), 0o755))
	require.NoError(t, os.WriteFile(bin, []byte("x"), 0o755))
	for value, want := range map[string][]string{
		"-I" + dir + " -O2":         {dir},
		dir + ":/nowhere/at/all":    {dir},
		"-Wl,-rpath," + dir:         {dir},
		bin + " -m64":               {dir},
		"relative/path -lsapflow /": nil,
	} {
		assert.Equal(t, want, pathsIn(value), value)
	}
	if runtime.GOOS == "linux" {
		self, err := os.ReadFile("/bin/sh")
		require.NoError(t, err)
		names, _ := elfNeeds(self)
		for _, name := range names {
			if name[:3] == "lib" {
				assert.True(t, HasLibrary(name), name)
			}
		}
		assert.NotEmpty(t, names)
	}
	assert.False(t, HasLibrary("libsapflow-of-nowhere.so.1"))
	names, folders := elfNeeds([]byte("no program"))
	assert.Empty(t, names)
	assert.Empty(t, folders)
}
