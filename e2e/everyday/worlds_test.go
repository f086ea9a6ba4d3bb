package everyday

import (
	"glassjar/e2e/drive"
	"glassjar/internal/long"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// ordinary are the scripts of what everybody does every day. With -long they run once more in
// the places where people work, and without it those in which the place tells.
var ordinary = []string{"first-minutes", "everyday", "filling", "recreate", "clone", "uninstall", "history", "mending", "shelf-jars", "groups", "discard", "run"}

func TestOrdinaryInOtherWorlds(t *testing.T) {
	t.Parallel()
	for name, w := range map[string]drive.World{
		// A folder whose name has all that shells and URLs take for something else, and
		// background work that has ended before the next command begins.
		"an odd folder, compiled in between": {Settled: true, Scripts: []string{"first-minutes"}, Root: func(t *testing.T) string {
			odd := filepath.Join(t.TempDir(), `Birnen & "Äpfel" it's 100% #1`)
			require.NoError(t, os.Mkdir(odd, 0o755))
			return odd
		}},
		// The first Python of PATH is the system's, and there is no other.
		"below somebody's project, only the system's Python": {Python: "/usr/bin/python3", Scripts: []string{"first-minutes"}, Root: func(t *testing.T) string {
			return belowAnother(t, t.TempDir())
		}},
	} {
		t.Run(name, func(t *testing.T) {
			if w.Python != "" && exec.Command(w.Python, "-c", "").Run() != nil {
				t.Logf("there is no %s: the first Python of PATH instead", w.Python)
				w.Python = ""
			}
			if long.Asked() {
				w.Scripts = ordinary
			}
			w.Run(t)
		})
	}
}

// belowAnother makes a folder that lies below a project which has a jar, its own
// spec and its own record.
func belowAnother(t *testing.T, top string) string {
	for file, text := range map[string]string{
		"pyproject.toml":             "[project]\nname = \"cider-mill\"\nversion = \"1\"\ndependencies = [\"no-such-thing\"]\n",
		"pylock.toml":                "this is no record\n",
		".jar/pyvenv.cfg":            "home = /nowhere\nprompt = cider-mill\n",
		".jar/glassjar/jar.json":     "{\"glassjar\": 1}\n",
		"orchard/.git/HEAD":          "ref: refs/heads/main\n",
		"orchard/.git/objects/.keep": "",
		"orchard/.git/refs/.keep":    "",
	} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(top, file)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(top, file), []byte(text), 0o644))
	}
	return filepath.Join(top, "orchard")
}
