package place_test

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/jartest"
	"glassjar/core/place"
	"glassjar/core/shelf"
)

// finder is one whose user stands in a project.
func finder(t *testing.T) place.Finder {
	top := t.TempDir()
	f := place.Finder{Dir: filepath.Join(top, "orchard"), Shelf: filepath.Join(top, "shelf"), Known: shelf.List{Dir: filepath.Join(top, "jars")}}
	require.NoError(t, os.Mkdir(f.Dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(f.Dir, "pyproject.toml"), []byte("[project]\nname = \"orchard\"\nversion = \"1\"\n"), 0o644))
	return f
}

var makeJar = jartest.Create

func TestLocate(t *testing.T) {
	f := finder(t)
	at, err := f.Locate("", true)
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(f.Dir, ".jar"), at.Root)
	assert.Equal(t, place.Nearest, at.Why)
	assert.Equal(t, "orchard", at.Prompt())
	f.Dir = filepath.Join(f.Dir, "a", "b")
	require.NoError(t, os.MkdirAll(f.Dir, 0o755))
	again, err := f.Locate("", true)
	require.NoError(t, err)
	assert.Equal(t, at.Root, again.Root)

	further := f.At(filepath.Join(at.Project, ".jar-old"), place.Named)
	assert.Equal(t, filepath.Join(at.Project, "pylock.old.toml"), further.RecordFile)
	assert.Equal(t, "orchard-old", further.Prompt())
	onShelf := f.At(filepath.Join(f.Shelf, "tools"), place.Named)
	assert.Equal(t, "tools", onShelf.Prompt())
	assert.Equal(t, filepath.Join(onShelf.Root, "glassjar", "pyproject.toml"), onShelf.SpecFile)
	var missing *place.NoJarError
	_, err = f.Locate("nowhere", true)
	assert.ErrorAs(t, err, &missing)
	f.Dir = t.TempDir()
	_, err = f.Locate("", false)
	assert.ErrorAs(t, err, &missing)
}

// A jar may be used if it was made here, lies where the settings say, or is the
// administrator's; and it is written to under its own name only.
func TestMayUse(t *testing.T) {
	f := finder(t)
	root := filepath.Join(f.Dir, ".jar")
	j := makeJar(t, root)
	var strange *place.NotTrustedError
	require.ErrorAs(t, f.MayUse(root), &strange)
	require.NoError(t, f.Known.Trust(j))
	require.NoError(t, f.MayUse(root))
	require.NoError(t, f.Known.Forget(j.ID()))
	require.Error(t, f.MayUse(root))
	for dir, trusted := range map[string]bool{f.Dir: true, root: true, filepath.Dir(f.Dir): true, f.Dir + "-2": false, filepath.Join(root, "bin"): false, "": false} {
		f.Trusted = []string{dir}
		assert.Equal(t, trusted, f.MayBeUsed(root), dir)
	}
	f.Trusted = nil
	require.NoError(t, f.MayUse(f.Dir), "no jar is there: whoever opens it says so")

	if runtime.GOOS != "windows" {
		require.NoError(t, f.Known.Trust(j))
		other := f
		other.Dir = filepath.Join(filepath.Dir(f.Dir), "vineyard")
		require.NoError(t, os.MkdirAll(filepath.Join(other.Dir, "room"), 0o755))
		link := filepath.Join(other.Dir, ".jar")
		require.NoError(t, os.Symlink(root, link))
		var elsewhere *place.ElsewhereError
		require.ErrorAs(t, other.OwnPlace(other.At(link, place.Nearest)), &elsewhere)
		assert.NoError(t, other.MayUse(link), "it is the one that was made here")
		require.NoError(t, os.Remove(link))
		require.NoError(t, os.Symlink(filepath.Join(other.Dir, "room"), link))
		assert.NoError(t, other.OwnPlace(other.At(link, place.Nearest)), "a jar on another disk is the project's own")
	}
}
