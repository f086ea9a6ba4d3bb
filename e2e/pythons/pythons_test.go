package pythons

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/metadata"
	"glassjar/internal/long"

	"glassjar/e2e/drive"
)

// look is run inside a jar and says what its Python sees.
const look = `
import json, sys, sysconfig
import press_schedule.plan, brixmeter
seen = []
for name in sys.argv[1:]:
    try:
        __import__(name)
        seen.append(name)
    except ImportError:
        pass
paths = sysconfig.get_paths()
print(json.dumps({"prefix": sys.prefix, "exec_prefix": sys.exec_prefix, "version": "%d.%d.%d" % sys.version_info[:3],
    "purelib": paths["purelib"], "scripts": paths["scripts"], "module": press_schedule.plan.__file__, "seen": seen, "path": sys.path}))
`

// packagesOf are what can be imported from the base's site folders.
func packagesOf(f interpreter.Found) []string {
	names := []string{"only_in_base"}
	for _, dir := range f.Said.SitePackages {
		entries, _ := os.ReadDir(dir) // one that is not there holds nothing
		for _, e := range entries {
			name := strings.TrimSuffix(e.Name(), ".py")
			if !strings.ContainsAny(name, ".-") && !strings.HasPrefix(name, "_") && (e.IsDir() || name != e.Name()) {
				names = append(names, name)
			}
		}
	}
	return names
}

// Every interpreter that the machine has makes a jar of its own: a universal
// wheel with a script installs and runs, and nothing of the base is seen.
func TestEveryPython(t *testing.T) {
	for name, f := range drive.Pythons {
		if name != "2.7" && name != "3.6" && f.Path != drive.Default.Path && !long.Asked() {
			continue // the oldest of both kinds, and the newest
		}
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			top := drive.RealPath(t, t.TempDir())
			// The user's own site folder must not be seen either.
			s := drive.NewTerminal(t, top)
			plantUserSite(t, s, f)
			s.Output("glassjar", "create", "--python", f.Path)
			s.Output("glassjar", "install", "press-schedule<2")
			inspect(t, s, f, filepath.Join(top, ".jar"))
			assert.Contains(t, s.Output("glassjar", "run", "press-schedule"), "Perry pear")
			assert.Contains(t, s.Output(filepath.Join(top, ".jar", "bin", "press-schedule")), "Perry pear")

			// Activated in a shell, python and the script are the jar's.
			out := s.Output("sh", "-c", ". .jar/bin/activate && command -v python && press-schedule && python -c 'import sys; print(sys.prefix)'")
			assert.Contains(t, out, filepath.Join(top, ".jar", "bin", "python"))
			assert.Contains(t, out, "Quince")

			// And all of it again after the jar has moved.
			moved := filepath.Join(top, "moved jar ünd far")
			require.NoError(t, os.Rename(filepath.Join(top, ".jar"), moved))
			assert.Contains(t, s.Output(filepath.Join(moved, "bin", "press-schedule")), "Perry pear")
			inspect(t, s, f, moved)
		})
	}
}

func inspect(t *testing.T, s *drive.Terminal, f interpreter.Found, root string) {
	t.Helper()
	var saw struct {
		Prefix     string
		ExecPrefix string `json:"exec_prefix"`
		Version    string
		Purelib    string
		Scripts    string
		Module     string
		Seen       []string
		Path       []string
	}
	out := s.Output(filepath.Join(root, "bin", "python"), append([]string{"-c", look}, packagesOf(f)...)...)
	require.NoError(t, json.Unmarshal([]byte(out), &saw), out)
	assert.Equal(t, root, saw.Prefix)
	assert.Equal(t, root, saw.ExecPrefix)
	assert.Equal(t, f.Version().Base(), saw.Version)
	assert.Equal(t, filepath.Join(root, "bin"), saw.Scripts)
	assert.True(t, strings.HasPrefix(saw.Module, root+string(os.PathSeparator)), saw.Module)
	assert.True(t, strings.HasPrefix(saw.Module, saw.Purelib), "%s is not in %s", saw.Module, saw.Purelib)
	assert.Empty(t, saw.Seen, "packages of the base are seen")
	for _, p := range saw.Path {
		if strings.Contains(p, "-packages") {
			assert.True(t, strings.HasPrefix(p, root), "%s is on the path", p)
		}
	}
}

// plantUserSite puts a module into the user's own site folder.
func plantUserSite(t *testing.T, s *drive.Terminal, f interpreter.Found) {
	out := s.Output(f.Path, "-c", "import site; print(site.getusersitepackages())")
	dir := strings.TrimSpace(out)
	require.NoError(t, os.MkdirAll(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "only_in_base.py"), nil, 0o644))
}

// A path longer than a kernel's limit for the first line of a script, with
// blanks and letters beyond ASCII in it.
func TestScriptsBelowALongPath(t *testing.T) {
	deep := drive.RealPath(t, t.TempDir())
	for len(deep) < 400 {
		deep = filepath.Join(deep, "a folder with a long näme")
	}
	require.NoError(t, os.MkdirAll(deep, 0o755))
	s := drive.NewTerminal(t, deep)
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	s.Output("glassjar", "install", "press-schedule")
	assert.Contains(t, s.Output(filepath.Join(deep, ".jar", "bin", "press-schedule")), "Perry pear")
	assert.Contains(t, s.Output("sh", "-c", ". .jar/bin/activate && press-schedule"), "Perry pear")
	inspect(t, s, drive.Default, filepath.Join(deep, ".jar"))
}

// A wheel that no index knows: by path, by a file: address, by an http address.
func TestDirectReferences(t *testing.T) {
	top := drive.RealPath(t, t.TempDir())
	s := drive.NewTerminal(t, top)
	files := filepath.Join(top, "files")
	require.NoError(t, index.Write(t.Context(), index.Sample{}, files))
	wheels := filepath.Join(files, "files")
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	s.Output("glassjar", "install", "./files/files/brixmeter-1.2-py2.py3-none-any.whl")
	s.Output("glassjar", "install", "orchard-core @ "+metadata.FileURL(filepath.Join(wheels, "orchard_core-1.1-py2.py3-none-any.whl")))
	site := filepath.Join(top, ".jar", "lib", "python"+drive.Default.Minor(), "site-packages")
	direct, err := os.ReadFile(filepath.Join(site, "brixmeter-1.2.dist-info", "direct_url.json"))
	require.NoError(t, err)
	assert.Contains(t, string(direct), `"url":"file://`)
	assert.Contains(t, string(direct), `"sha256":"`)
	record, err := os.ReadFile(filepath.Join(top, "pylock.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(record), `archive = { path = "files/files/brixmeter-1.2-py2.py3-none-any.whl"`)

	// What others need is met by the wheel that was named.
	s.Output("glassjar", "install", "press-schedule")
	assert.Contains(t, s.Output("glassjar", "run", "press-schedule"), "brixmeter 1.2")
	before := s.Output("glassjar", "label")
	s.Removes(filepath.Join(top, ".jar"))
	s.Output("glassjar", "recreate", "--python", drive.Default.Path)
	assert.Equal(t, before, s.Output("glassjar", "label"))

	for _, c := range []struct{ want, says string }{
		{"./files/files/nowhere-1.0-py3-none-any.whl", "there is nothing at"},
		{"./files/files/pomace_compost-1.0.tar.gz", "would be built from source"},
		{"cider @ " + metadata.FileURL(filepath.Join(wheels, "must_core-0.2-py2.py3-none-any.whl")), "is one of must-core"},
		{"must-core @ " + metadata.FileURL(filepath.Join(wheels, "must_core-0.2-py2.py3-none-any.whl")) + "#sha256=" + strings.Repeat("0", 64), "not what was announced"},
	} {
		out, err := s.Try("glassjar", "install", c.want)
		assert.Error(t, err, c.want)
		assert.Contains(t, out, c.says)
	}
}
