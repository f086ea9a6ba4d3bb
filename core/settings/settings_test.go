package settings_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
	"glassjar/core/settings"
)

func TestReadAndWrite(t *testing.T) {
	file := filepath.Join(t.TempDir(), "sub", "settings.toml")
	empty, err := settings.Read(file)
	require.NoError(t, err)
	assert.Empty(t, empty.Indexes)
	want := settings.Settings{Indexes: []project.IndexEntry{{Name: "a", At: "https://a.example/simple/"}}, Pythons: []string{"/opt/pythons"}, Store: "/big/store", AllowHTTP: true}
	for _, set := range []struct {
		key    string
		values []string
	}{{"pythons", []string{"/opt/pythons"}}, {"store", []string{"/big/store"}}, {"allow-http", []string{"true"}}, {"keyring", []string{"true"}}, {"keyring", nil}} {
		known, ok := settings.Known(set.key)
		require.True(t, ok)
		_, err := settings.Set(file, known, set.values)
		require.NoError(t, err)
	}
	_, err = settings.Edit(file, func(text []byte) []byte { return project.SetIndexes(text, []string{"indexes"}, want.Indexes) })
	require.NoError(t, err)
	for key, value := range map[string]string{"allow-http": "perhaps", "indexes": "x"} {
		known, _ := settings.Known(key)
		_, err := settings.Set(file, known, []string{value})
		var bad *settings.ValueError
		require.ErrorAs(t, err, &bad, key)
	}
	got, err := settings.Read(file)
	require.NoError(t, err)
	assert.Equal(t, want.Indexes, got.Indexes)
	assert.Equal(t, want.Store, got.Store)
	assert.True(t, got.AllowHTTP)
	assert.False(t, got.Keyring)
	assert.Equal(t, want.Pythons, got.Pythons)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

func TestFaults(t *testing.T) {
	file := filepath.Join(t.TempDir(), "settings.toml")
	for text, says := range map[string]string{"stor = \"x\"\n": `"stor" is not a setting`, "store = 3\n": "settings.toml", "store = \n": "settings.toml"} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		_, err := settings.Read(file)
		var fault *project.FileError
		require.ErrorAs(t, err, &fault, text)
		assert.Contains(t, err.Error(), says)
	}
	require.NoError(t, os.WriteFile(file, []byte("\nstor = \"x\"\n"), 0o644))
	_, err := settings.Read(file)
	var fault *project.FileError
	require.ErrorAs(t, err, &fault)
	assert.Equal(t, 2, fault.Line)
	assert.Contains(t, fault.Try, "store")
}

func TestFolders(t *testing.T) {
	t.Setenv("GLASSJAR_HOME", "/orchard/home")
	f := settings.Standard()
	assert.Equal(t, filepath.FromSlash("/orchard/home/store"), f.Store)
	t.Setenv("GLASSJAR_HOME", "")
	t.Setenv("XDG_DATA_HOME", "/orchard/data")
	t.Setenv("XDG_CONFIG_HOME", "/orchard/config")
	f = settings.Standard()
	assert.Equal(t, "/orchard/data/glassjar/store", filepath.ToSlash(f.Store))
	assert.Equal(t, "/orchard/config/glassjar/settings.toml", filepath.ToSlash(f.Settings))
}

// A choice takes its values and no others, set by the program or by hand.
func TestChoices(t *testing.T) {
	file := filepath.Join(t.TempDir(), "settings.toml")
	for key, values := range map[string][]string{"placing": {"clone", "link", "copy"}, "bytecode": {"off", "on", "background"}} {
		known, ok := settings.Known(key)
		require.True(t, ok)
		assert.Equal(t, values, known.Choices)
		for _, v := range values {
			s, err := settings.Set(file, known, []string{v})
			require.NoError(t, err, v)
			assert.Equal(t, v, map[string]string{"placing": s.Placing, "bytecode": s.Bytecode}[key])
			assert.True(t, s.Has(key))
		}
		var bad *settings.ValueError
		for _, wrong := range [][]string{{"by-hand"}, {""}, values} {
			_, err := settings.Set(file, known, wrong)
			require.ErrorAs(t, err, &bad, "%v", wrong)
		}
		_, err := settings.Set(file, known, nil)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(file, []byte(key+" = \"by-hand\"\n"), 0o644))
		_, err = settings.Read(file)
		var fault *project.FileError
		require.ErrorAs(t, err, &fault)
		assert.Contains(t, fault.Why, values[0])
		require.NoError(t, os.Remove(file))
	}
}
