package jar_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
)

// A journal that is read names nothing outside of the jar, and is written as it was read.
func FuzzJournal(f *testing.F) {
	f.Add("take \"lib/a.py\"\nput \"lib/b.py\"", true)
	f.Add("own \"pyvenv.cfg\" - fab\nspec - f12", true)
	f.Add("own \"../x\" - -\ntake \"./glassjar/id\"\ntake \"/etc\"", true)
	f.Add("journal 3\nback\nend 0 ab\n", false)
	f.Fuzz(func(t *testing.T, text string, whole bool) {
		data := []byte(text)
		if whole { // with a heading and an end that hold
			data = jar.JournalText(strings.Split(text, "\n")...)
		}
		again, paths, err := jar.ReadJournal(data)
		if err != nil {
			return
		}
		for _, p := range paths {
			assert.True(t, filepath.IsLocal(p) && p != "." && !strings.HasPrefix(p, "glassjar/id"), p)
		}
		_, twice, err := jar.ReadJournal(again)
		require.NoError(t, err)
		assert.Equal(t, paths, twice)
	})
}

// A stranger's own files of a jar are read or refused, whatever they are.
func FuzzOwnFiles(f *testing.F) {
	f.Add([]byte(`{"format": 1, "program": "glassjar", "python": "3.12.1", "implementation": "cpython"}`), []byte("home = /usr/bin\n"), []byte(`{"number": 1, "packages": [{"name": "press"}]}`))
	f.Add([]byte(`{"format": 1, "program": "glassjar", "python": "9", "library": "../../etc"}`), []byte("="), []byte("{"))
	f.Fuzz(func(t *testing.T, state, config, moment []byte) {
		root := t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(root, "glassjar", "history"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, "glassjar", "jar.json"), state, 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(root, "pyvenv.cfg"), config, 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(root, "glassjar", "history", "000001.json"), moment, 0o644))
		m, err := jar.ReadMoment("000001.json", moment)
		assert.True(t, err != nil || m.Number > 0)
		j, err := jar.Open(root)
		if err != nil {
			return
		}
		assert.True(t, filepath.IsLocal(j.Layout().Site()) && filepath.IsLocal(j.Layout().Python()), string(state))
		_, _ = j.Base()
		_, _ = jar.Looks(root)
		_, _, _ = j.LastMoment()
		_, err = j.Installed()
		_ = err
	})
}
