package drive

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

	"glassjar/internal/long"
)

// deviceKeys is what stands in for security devices in OpenSSH's own tests: where a variable says,
// or where Debian's openssh-tests has it.
var deviceKeys = cmp.Or(os.Getenv("GLASSJAR_TEST_DEVICE"), "/usr/lib/openssh/regress/misc/sk-dummy/sk-dummy.so")

// World is where scripts run.
type World struct {
	Scripts []string                  // all where there are none
	Root    func(t *testing.T) string // the folder that the scripts' own lie in
	Python  string                    // the only interpreter there is
	Settled bool                      // after each command, compiling is waited for
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

// Run runs scripts of the package, testdata/script/*.txtar.
func (w World) Run(t *testing.T) {
	programs := Built
	if w.Python != "" || w.Settled {
		programs = w.Programs(t)
	}
	params := testscript.Params{
		Setup: func(env *testscript.Env) error {
			env.Setenv("PATH", programs+string(os.PathListSeparator)+"/usr/bin"+string(os.PathListSeparator)+"/bin")
			env.Setenv("PROGRAM", filepath.Join(Built, "glassjar"))
			env.Setenv("PYTHON_BASE", Default.Said.Prefix)
			env.Setenv("PYTHON_STDLIB", Default.Said.Stdlib)
			env.Setenv("PYTHON_MINOR", Default.Minor())
			env.Setenv("PYTHON_VERSION", Default.Said.Version)
			env.Setenv("PYTHON", Default.Path)
			env.Setenv("SSH_SK_PROVIDER", deviceKeys)
			if w.Python != "" {
				minor, err := exec.Command(w.Python, "-c", "import sys; print('%d.%d' % sys.version_info[:2])").Output()
				if err != nil {
					return err
				}
				env.Setenv("PYTHON_MINOR", strings.TrimSpace(string(minor)))
			}
			var folders []string
			for _, f := range Pythons {
				folders = append(folders, filepath.Dir(filepath.Dir(f.Path)))
			}
			env.Setenv("FOUND_PYTHONS", strings.Join(folders, string(os.PathListSeparator)))
			if other, ok := Another(); ok {
				env.Setenv("ANOTHER_PYTHON", other.Path)
			}
			if err := oneDown(env); err != nil {
				return err
			}
			home := filepath.Join(env.Cd, "user")
			if runtime.GOOS == "linux" {
				env.Defer(func() { SettleCompilers(home) }) // the folder is about to be removed
			}
			return newMachine(env.Setenv, home)
		},
		Condition: func(cond string) (bool, error) {
			if name, ok := strings.CutPrefix(cond, "python:"); ok {
				_, there := Pythons[name]
				return there, nil
			}
			switch cond {
			case "python-elsewhere": // not where the system has its own
				return !strings.HasPrefix(Default.Path, "/usr/"), nil
			case "long":
				return long.Asked(), nil
			case "another-python":
				_, ok := Another()
				return ok, nil
			case "static":
				return Static(), nil
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
	if w.Scripts == nil {
		params.Dir = filepath.Join("testdata", "script")
	}
	for _, name := range w.Scripts {
		params.Files = append(params.Files, filepath.Join("testdata", "script", name+".txtar"))
	}
	if w.Root != nil {
		params.WorkdirRoot = w.Root(t)
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

// Programs is a folder for PATH with the world's own python3, and a glassjar that
// ends only when what it left running in the background has ended.
func (w World) Programs(t *testing.T) string {
	dir := t.TempDir()
	python := filepath.Join(Built, "python3")
	if w.Python != "" {
		python = w.Python
	}
	require.NoError(t, os.Symlink(python, filepath.Join(dir, "python3")))
	program := filepath.Join(Built, "glassjar")
	if !w.Settled {
		require.NoError(t, os.Symlink(program, filepath.Join(dir, "glassjar")))
		return dir
	}
	script := "#!/bin/sh\n" + program + ` "$@"` + "\ncode=$?\n" + filepath.Join(Built, settler) + "\nexit $code\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "glassjar"), []byte(script), 0o755))
	return dir
}
