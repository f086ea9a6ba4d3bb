package kernel_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/jartest"
	"glassjar/core/jar"
	"glassjar/core/kernel"
	_ "glassjar/internal/long"
)

func create(t *testing.T, root string) *jar.Jar {
	j := jartest.Create(t, root)
	if j.ID() == "" {
		j.NewID()
	}
	return j
}

func write(file string, text []byte) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	return os.WriteFile(file, text, 0o644)
}

// A specification follows its jar, and what others wrote, or changed, is told and left alone.
func TestKernels(t *testing.T) {
	t.Setenv("JUPYTER_DATA_DIR", t.TempDir())
	top := t.TempDir()
	k := &kernel.Kernels{Notes: filepath.Join(top, "kernels.json"), Write: write}
	assert.True(t, k.None())
	j := create(t, filepath.Join(top, "press"))
	connect := func(j *jar.Jar, name string) string {
		file := k.File(j.ID(), name)
		text, err := kernel.Text(j, j.ID(), name)
		require.NoError(t, err)
		require.NoError(t, write(file, text))
		require.NoError(t, k.Keep(file, kernel.Note{ID: j.ID(), Jar: j.Root, Name: name}))
		return file
	}
	file := connect(j, "Press")
	assert.Equal(t, filepath.Join(kernel.Folder(), "press", "kernel.json"), file)
	assert.Equal(t, j.ID(), kernel.Of(file))
	assert.Equal(t, file, k.File(j.ID(), "another name"), "a jar has one")
	other := create(t, filepath.Join(top, "other"))
	assert.Equal(t, filepath.Join(kernel.Folder(), "press-"+other.ID()[:8], "kernel.json"), connect(other, "press"), "the name is another's")

	moved := filepath.Join(top, "moved")
	require.NoError(t, os.Rename(j.Root, moved))
	state := func() map[string]string {
		out := map[string]string{}
		for _, one := range k.List() {
			out[one.Name] = one.State
		}
		return out
	}
	assert.Equal(t, map[string]string{"Press": kernel.NoJar, "press": kernel.Fine}, state())
	j, err := jar.Open(moved)
	require.NoError(t, err)
	k.See(j)
	assert.Equal(t, map[string]string{"Press": kernel.Fine, "press": kernel.Fine}, state())
	var said struct{ Argv []string }
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &said))
	assert.Equal(t, j.Python(), said.Argv[0])

	require.NoError(t, os.WriteFile(file, []byte("{}"), 0o644))
	assert.Equal(t, kernel.Changed, state()["Press"])
	require.NoError(t, os.Rename(moved, filepath.Join(top, "again")))
	again, err := jar.Open(filepath.Join(top, "again"))
	require.NoError(t, err)
	k.See(again)
	data, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "{}", string(data), "it is somebody else's by now")

	for _, find := range [][3]string{{again.ID(), "", ""}, {"", moved, ""}, {"", "", "Press"}} {
		found, n, ok := k.Find(find[0], find[1], find[2])
		assert.True(t, ok, find)
		assert.Equal(t, file, found, find)
		assert.Equal(t, "Press", n.Name)
	}
	_, _, ok := k.Find("", "", "")
	assert.False(t, ok)
	require.NoError(t, k.Forget(file))
	assert.Equal(t, map[string]string{"press": kernel.Fine}, state())
}
