package e2e

import (
	"cmp"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/require"
)

// TestScripts runs every script as a user would who has just got the program: an
// empty home folder, the platform's own folders, no variable of Python's or of
// this program, default settings.
func TestScripts(t *testing.T) { world{}.run(t) }

// deviceKeys is what stands in for security devices in OpenSSH's own tests: where a variable says,
// or where Debian's openssh-tests has it.
var deviceKeys = cmp.Or(os.Getenv("GLASSJAR_TEST_DEVICE"), "/usr/lib/openssh/regress/misc/sk-dummy/sk-dummy.so")

// ordinary are the scripts of what everybody does every day. They run once more in
// the places where people work.
var ordinary = []string{"first-minutes", "everyday", "filling", "recreate", "clone", "uninstall", "history", "mending", "shelf-jars", "groups", "discard", "run"}

func TestOrdinaryInOtherWorlds(t *testing.T) {
	t.Parallel()
	for name, w := range map[string]world{
		// A folder whose name has all that shells and URLs take for something else, and
		// background work that has ended before the next command begins.
		"an odd folder, compiled in between": {settled: true, root: func(t *testing.T) string {
			odd := filepath.Join(t.TempDir(), `Birnen & "Äpfel" it's 100% #1`)
			require.NoError(t, os.Mkdir(odd, 0o755))
			return odd
		}},
		// The first Python of PATH is the system's, and there is no other.
		"below somebody's project, only the system's Python": {python: "/usr/bin/python3", root: func(t *testing.T) string {
			return belowAnother(t, t.TempDir())
		}},
	} {
		t.Run(name, func(t *testing.T) {
			if w.python != "" && exec.Command(w.python, "-c", "").Run() != nil {
				t.Logf("there is no %s: the first Python of PATH instead", w.python)
				w.python = ""
			}
			w.scripts = ordinary
			w.run(t)
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

// world is where scripts run.
type world struct {
	scripts []string                  // all where there are none
	root    func(t *testing.T) string // the folder that the scripts' own lie in
	python  string                    // the only interpreter there is
	settled bool                      // after each command, compiling is waited for
}

// oneDown has a script begin in a folder of its own folder: what it makes beside that is its own,
// too, and is removed with it.
func oneDown(env *testscript.Env) error {
	entries, err := os.ReadDir(env.WorkDir)
	if err != nil {
		return err
	}
	env.Cd = filepath.Join(env.WorkDir, filepath.Base(env.WorkDir))
	env.Setenv("WORK", env.Cd)
	if err := os.Mkdir(env.Cd, 0o755); err != nil {
		return err
	}
	for _, e := range entries {
		if e.Name() == ".tmp" { // the system's temporary folder is nowhere in the project
			continue
		}
		if err := os.Rename(filepath.Join(env.WorkDir, e.Name()), filepath.Join(env.Cd, e.Name())); err != nil {
			return err
		}
	}
	return nil
}

func (w world) run(t *testing.T) {
	programs := built
	if w.python != "" || w.settled {
		programs = w.programs(t)
	}
	params := testscript.Params{
		Setup: func(env *testscript.Env) error {
			env.Setenv("PATH", programs+string(os.PathListSeparator)+"/usr/bin"+string(os.PathListSeparator)+"/bin")
			env.Setenv("PROGRAM", filepath.Join(built, "glassjar"))
			env.Setenv("PYTHON_BASE", def.Said.Prefix)
			env.Setenv("PYTHON_STDLIB", def.Said.Stdlib)
			env.Setenv("PYTHON_MINOR", def.Minor())
			env.Setenv("PYTHON_VERSION", def.Said.Version)
			env.Setenv("PYTHON", def.Path)
			env.Setenv("SSH_SK_PROVIDER", deviceKeys)
			if w.python != "" {
				minor, err := exec.Command(w.python, "-c", "import sys; print('%d.%d' % sys.version_info[:2])").Output()
				if err != nil {
					return err
				}
				env.Setenv("PYTHON_MINOR", strings.TrimSpace(string(minor)))
			}
			var folders []string
			for _, f := range found {
				folders = append(folders, filepath.Dir(filepath.Dir(f.Path)))
			}
			env.Setenv("FOUND_PYTHONS", strings.Join(folders, string(os.PathListSeparator)))
			if err := oneDown(env); err != nil {
				return err
			}
			home := filepath.Join(env.Cd, "user")
			if runtime.GOOS == "linux" {
				env.Defer(func() { settleCompilers(home) }) // the folder is about to be removed
			}
			return newMachine(env.Setenv, home)
		},
		Condition: func(cond string) (bool, error) {
			if name, ok := strings.CutPrefix(cond, "python:"); ok {
				_, there := found[name]
				return there, nil
			}
			switch cond {
			case "python-elsewhere": // not where the system has its own
				return !strings.HasPrefix(def.Path, "/usr/"), nil
			case "root":
				return os.Getuid() == 0, nil
			case "device-keys":
				_, err := os.Stat(deviceKeys)
				return err == nil, nil
			case "browser":
				return browserPath() != "", nil
			}
			return false, fmt.Errorf("unknown condition %q", cond)
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			"exits": exits, "index": serveIndex, "snapshot": snapshot, "wheel": writeWheel, "waitfor": waitFor, "nginx": startNginx, "keys": hasKeys,
			"pack": pack, "elf": writeELF, "browse": browse, "machine": otherMachine, "settle": settleScript, "remove": removeScript, "proxy": startProxy,
		},
	}
	if w.scripts == nil {
		params.Dir = filepath.Join("testdata", "script")
	}
	for _, name := range w.scripts {
		params.Files = append(params.Files, filepath.Join("testdata", "script", name+".txtar"))
	}
	if w.root != nil {
		params.WorkdirRoot = w.root(t)
	}
	testscript.Run(t, params)
}

// newMachine sets the variables of a user whose home folder is home, empty, and
// names the folders that the program has there.
func newMachine(set func(key, value string), home string) error {
	set("HOME", home)
	set("USERPROFILE", home)
	config, data, state, cache := ".config", ".local/share", ".local/state", ".cache"
	if runtime.GOOS == "darwin" {
		config, data, state, cache = "Library/Application Support", "Library/Application Support", "Library/Application Support", "Library/Caches"
	}
	for key, dir := range map[string]string{"CONFIG": config, "DATA": data, "STATE": state, "CACHE": cache} {
		set(key, filepath.Join(home, dir, "glassjar"))
	}
	return os.MkdirAll(home, 0o755)
}

func otherMachine(ts *testscript.TestScript, _ bool, args []string) {
	ts.Check(newMachine(ts.Setenv, ts.MkAbs(args[0])))
}

// programs is a folder for PATH with the world's own python3, and a glassjar that
// ends only when what it left running in the background has ended.
func (w world) programs(t *testing.T) string {
	dir := t.TempDir()
	python := filepath.Join(built, "python3")
	if w.python != "" {
		python = w.python
	}
	require.NoError(t, os.Symlink(python, filepath.Join(dir, "python3")))
	program := filepath.Join(built, "glassjar")
	if !w.settled {
		require.NoError(t, os.Symlink(program, filepath.Join(dir, "glassjar")))
		return dir
	}
	script := "#!/bin/sh\n" + program + ` "$@"` + "\ncode=$?\n" + waitForCompiling + "exit $code\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "glassjar"), []byte(script), 0o755))
	return dir
}
