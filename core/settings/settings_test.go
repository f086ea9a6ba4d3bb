package settings_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/lock"
	"glassjar/core/project"
	"glassjar/core/settings"
	_ "glassjar/internal/long"
)

var ctx = context.Background()

func settingsFile(t *testing.T) settings.File {
	top := t.TempDir()
	return settings.NewFile(settings.Places{Settings: filepath.Join(top, "sub", "settings.toml"), State: filepath.Join(top, "state")}, lock.Mode{}, nil)
}

// Many that change settings at once lose nothing of each other's.
func TestManyWriters(t *testing.T) {
	file := settingsFile(t)
	var group sync.WaitGroup
	for n := range 16 {
		group.Go(func() {
			_, err := file.Edit(ctx, func(have settings.Settings, text []byte) ([]byte, error) {
				return project.SetIndexes(text, []string{"indexes"}, append(have.Indexes, project.IndexEntry{Name: fmt.Sprintf("n%d", n), At: "https://a.example/simple/"})), nil
			})
			assert.NoError(t, err)
		})
	}
	group.Wait()
	got, err := settings.Read(file.Path)
	require.NoError(t, err)
	assert.Len(t, got.Indexes, 16)
	left, err := filepath.Glob(filepath.Join(filepath.Dir(file.Path), ".*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestReadAndWrite(t *testing.T) {
	file := settingsFile(t)
	empty, err := settings.Read(file.Path)
	require.NoError(t, err)
	assert.Empty(t, empty.Indexes)
	want := settings.Settings{Indexes: []project.IndexEntry{{Name: "a", At: "https://a.example/simple/"}}, Pythons: []string{"/opt/pythons"}, Store: "/big/store", AllowHTTP: true}
	for _, set := range []struct {
		key    string
		values []string
	}{{"pythons", []string{"/opt/pythons"}}, {"store", []string{"/big/store"}}, {"allow-http", []string{"true"}}, {"keyring", []string{"true"}}, {"keyring", nil}} {
		known, ok := settings.Known(set.key)
		require.True(t, ok)
		_, err := file.Set(ctx, known, set.values)
		require.NoError(t, err)
	}
	_, err = file.Edit(ctx, func(_ settings.Settings, text []byte) ([]byte, error) {
		return project.SetIndexes(text, []string{"indexes"}, want.Indexes), nil
	})
	require.NoError(t, err)
	for key, value := range map[string]string{"allow-http": "perhaps", "indexes": "x"} {
		known, _ := settings.Known(key)
		_, err := file.Set(ctx, known, []string{value})
		var bad *settings.ValueError
		require.ErrorAs(t, err, &bad, key)
	}
	got, err := settings.Read(file.Path)
	require.NoError(t, err)
	assert.Equal(t, want.Indexes, got.Indexes)
	assert.Equal(t, want.Store, got.Store)
	assert.True(t, got.AllowHTTP)
	assert.False(t, got.Keyring)
	assert.Equal(t, want.Pythons, got.Pythons)
	info, err := os.Stat(file.Path)
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
	assert.Contains(t, fault.Near, "store")
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

// A path of the settings is the same place wherever one stands.
func TestWholePaths(t *testing.T) {
	home := t.TempDir()
	t.Setenv("HOME", home)
	t.Setenv("USERPROFILE", home)
	file := settingsFile(t)
	require.NoError(t, os.MkdirAll(filepath.Dir(file.Path), 0o755))
	for _, c := range []struct{ text, fault string }{
		{"store = '~/big'\ntrusted = ['/srv/jars', '~']\nsecond-store = '~/second'", ""},
		{"store = ''", ""},
		{"store = 'big'", "store"}, {"trusted = ['']", "trusted"}, {"trusted = ['../jars']", "trusted"}, {"signers = '~perry/signers'", "signers"}, {"second-store = ['/a', 'b']", "second-store"},
	} {
		require.NoError(t, os.WriteFile(file.Path, []byte(c.text), 0o644))
		s, err := settings.Read(file.Path)
		var fault *project.FileError
		if c.fault != "" {
			require.ErrorAs(t, err, &fault, c.text)
			assert.Equal(t, c.fault, fault.Where)
			continue
		}
		require.NoError(t, err, c.text)
		if s.Store != "" {
			assert.Equal(t, []string{filepath.Join(home, "big"), "/srv/jars", home, filepath.Join(home, "second")}, append(append([]string{s.Store}, s.Trusted...), s.SecondStores()...))
		}
	}
}

// A choice takes its values and no others, set by the program or by hand.
func TestChoices(t *testing.T) {
	file := settingsFile(t)
	for key, values := range map[string][]string{"placing": {"clone", "link", "copy"}, "bytecode": {"off", "on", "background"}} {
		known, ok := settings.Known(key)
		require.True(t, ok)
		assert.Equal(t, values, known.Choices)
		for _, v := range values {
			s, err := file.Set(ctx, known, []string{v})
			require.NoError(t, err, v)
			assert.Equal(t, v, map[string]string{"placing": s.Placing, "bytecode": s.Bytecode}[key])
			assert.True(t, s.Has(key))
		}
		var bad *settings.ValueError
		for _, wrong := range [][]string{{"by-hand"}, {""}, values} {
			_, err := file.Set(ctx, known, wrong)
			require.ErrorAs(t, err, &bad, "%v", wrong)
		}
		_, err := file.Set(ctx, known, nil)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(file.Path, []byte(key+" = \"by-hand\"\n"), 0o644))
		_, err = settings.Read(file.Path)
		var fault *project.FileError
		require.ErrorAs(t, err, &fault)
		assert.Contains(t, fault.Why, values[0])
		require.NoError(t, os.Remove(file.Path))
	}
}

// What holds for the whole machine is the administrator's alone, and one thing.
func TestReadMachine(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "settings.toml")
	m, err := settings.ReadMachine(file)
	require.NoError(t, err)
	assert.Empty(t, m.Trusted, "there is none")
	require.NoError(t, os.WriteFile(file, []byte("trusted = [\"/srv/jars\"]\n"), 0o644))
	var others *settings.OthersError
	m, err = settings.ReadMachine(file)
	if os.Getuid() != 0 {
		require.ErrorAs(t, err, &others, "it is a user's")
		t.Skip("only root can make what is root's")
	}
	require.NoError(t, err)
	assert.Equal(t, []string{"/srv/jars"}, m.Trusted)
	for _, path := range []string{file, dir} {
		info, err := os.Stat(path)
		require.NoError(t, err)
		require.NoError(t, os.Chmod(path, info.Mode().Perm()|0o022))
		_, err = settings.ReadMachine(file)
		require.ErrorAs(t, err, &others)
		require.NoError(t, os.Chmod(path, info.Mode().Perm()))
	}
	require.NoError(t, os.WriteFile(file, []byte("store = \"/srv\"\n"), 0o644))
	_, err = settings.ReadMachine(file)
	var fault *project.FileError
	require.ErrorAs(t, err, &fault)
}

// A file of settings is read or refused, and what is read can be changed.
func FuzzSettings(f *testing.F) {
	f.Add([]byte("store = \"/srv\"\n[[indexes]]\nname = \"barn\"\nat = \"./wheels\"\n"), "/srv/other")
	f.Add([]byte(""), "/srv/\xff")
	f.Fuzz(func(t *testing.T, text []byte, value string) {
		places := settings.Places{Settings: filepath.Join(t.TempDir(), "settings.toml"), State: t.TempDir()}
		require.NoError(t, os.WriteFile(places.Settings, text, 0o600))
		if _, err := settings.Read(places.Settings); err != nil {
			return
		}
		store, _ := settings.Known("store")
		s, err := settings.NewFile(places, lock.Mode{}, nil).Set(context.Background(), store, []string{value})
		if err == nil {
			require.Equal(t, value, s.Store)
		}
	})
}
