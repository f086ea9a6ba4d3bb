package source

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"glassjar/core/version"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A commit is fetched with its tags, is kept, and is had again without the network.
func TestCheckOut(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("there is no git here")
	}
	t.Setenv("HOME", t.TempDir())
	from := t.TempDir()
	git := func(words ...string) string {
		cmd := exec.Command("git", append([]string{"-c", "user.name=keeper", "-c", "user.email=keeper@orchard.example"}, words...)...)
		cmd.Dir = from
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
		return strings.TrimSpace(string(out))
	}
	git("init", "-q")
	require.NoError(t, os.WriteFile(filepath.Join(from, "press.py"), []byte("1"), 0o644))
	git("add", "-A")
	git("commit", "-qm", "first")
	git("tag", "v1")
	first := git("rev-parse", "HEAD")
	g := Repositories{Dir: filepath.Join(t.TempDir(), "kept")}
	r, err := g.Resolve(ctx, Repository{URL: "file://" + from, Requested: "v1"})
	require.NoError(t, err)
	assert.Equal(t, first, r.Commit)
	require.NoError(t, os.WriteFile(filepath.Join(from, "press.py"), []byte("2"), 0o644))
	git("commit", "-qam", "second")
	head, err := g.Resolve(ctx, Repository{URL: "file://" + from})
	require.NoError(t, err)
	assert.Equal(t, git("rev-parse", "HEAD"), head.Commit)
	to := filepath.Join(t.TempDir(), "tree")
	require.NoError(t, g.CheckOut(ctx, r, to))
	data, err := os.ReadFile(filepath.Join(to, "press.py"))
	require.NoError(t, err)
	assert.Equal(t, "1", string(data))
	assert.DirExists(t, filepath.Join(to, ".git"))

	require.NoError(t, os.RemoveAll(from))
	again, err := g.Resolve(ctx, r)
	require.NoError(t, err, "the commit is here")
	assert.Equal(t, r, again)
	for _, missing := range []Repository{{URL: "file://" + from, Requested: "v9"}, {URL: "https://git.orchard.example/press"}} {
		_, err = Repositories{Dir: g.Dir, Offline: true}.Resolve(ctx, missing)
		var failed *RepositoryError
		assert.ErrorAs(t, err, &failed, missing.URL)
	}
}

// A folder is copied without what tools keep in it; an editable one is built where it stands,
// and what a hook asks for besides is had before.
func TestFolders(t *testing.T) {
	b := builder(t)
	var asked [][]string
	plain := b.Environment
	b.Environment = func(ctx0 context.Context, wants []string) (Environment, error) {
		asked = append(asked, wants)
		return plain(ctx0, wants)
	}
	dir := t.TempDir()
	body := strings.Replace(mill, "BODY", "assert not os.path.exists('.jar') and os.path.exists('.git')", 1) + `
def get_requires_for_build_wheel(settings=None):
    return ["press-oil"]
def build_editable(out, settings=None, metadata=None):
    open("made-here", "w").write(os.getcwd())
    return wheel(out, NAME)
def prepare_metadata_for_build_wheel(out, settings=None):
    os.mkdir(os.path.join(out, "press-1.0.dist-info"))
    with open(os.path.join(out, "press-1.0.dist-info", "METADATA"), "w") as f:
        f.write("Metadata-Version: 2.1\nName: press\nVersion: 1.0\nRequires-Dist: %s\n" % settings["needs"])
    return "press-1.0.dist-info"
`
	for name, text := range map[string]string{"pyproject.toml": inTree, "mill.py": body, ".jar/pyvenv.cfg": "", ".git/HEAD": "", "press.py": ""} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	s := Source{Name: "press", Folder: dir, Options: Options{Also: []string{"vat"}, Settings: map[string]any{"needs": "must"}}}
	w, err := b.Wheel(ctx, s)
	require.NoError(t, err)
	w.Close()
	assert.Equal(t, [][]string{{"vat"}, {"vat", "press-oil"}}, asked)
	assert.NoFileExists(t, filepath.Join(dir, "made-here"))
	meta, err := b.Metadata(ctx, s)
	require.NoError(t, err)
	assert.Contains(t, string(meta), "Requires-Dist: must")

	s.Editable = true
	w, err = b.Wheel(ctx, s)
	require.NoError(t, err)
	w.Close()
	at, err := os.ReadFile(filepath.Join(dir, "made-here"))
	require.NoError(t, err)
	real, err := filepath.EvalSymlinks(dir)
	require.NoError(t, err)
	assert.Equal(t, real, string(at))

	s.Subdirectory = "nowhere"
	_, err = b.Wheel(ctx, s)
	assert.Error(t, err)
	s.Subdirectory, s.Version = "", version.MustParse("2.0")
	_, err = b.Wheel(ctx, s)
	assert.ErrorContains(t, err, "version 1.0, not 2.0")
}
