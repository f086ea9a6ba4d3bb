package jar

import (
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"glassjar/core/store"
)

// On Windows a script is two files: NAME.launch, which Python runs and no
// import can find, and NAME.exe, which is this very program under another name
// (a hard link where the disk allows one). Started so, it looks for the .launch
// file beside itself and runs the jar's Python on it.
const launchEnding = ".launch"

// LaunchTarget tells whether a program was started under a script's name, and
// then which Python is to run which file.
func LaunchTarget(executable string) (python, script string, ok bool) {
	dir, name := filepath.Split(executable)
	name = strings.TrimSuffix(name, ".exe")
	script = filepath.Join(dir, name+launchEnding)
	if info, err := os.Stat(script); err != nil || !info.Mode().IsRegular() {
		return "", "", false
	}
	python = filepath.Join(dir, "python")
	if runtime.GOOS == "windows" {
		python += ".exe"
	}
	return python, script, true
}

// scriptFile is where a script's text goes.
func (l Layout) scriptFile(name string) string {
	if l.windows() {
		name = strings.TrimSuffix(name, ".py") + launchEnding
	}
	return l.Scripts() + "/" + name
}

// launcherOf is the program that starts a script's text, or empty where the
// text starts itself.
func (l Layout) launcherOf(file string) string {
	if stem, ok := strings.CutSuffix(file, launchEnding); ok && l.windows() {
		return stem + ".exe"
	}
	return ""
}

// stageLauncher puts this program under a script's name. It is not in RECORD:
// its bytes are this program's, not the distribution's.
func (a *application) stageLauncher(name, file string) error {
	exe := a.jar.Layout().launcherOf(file)
	if exe == "" {
		return nil
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if err := a.plan(name, exe); err != nil {
		return err
	}
	staged := a.staged(exe)
	if os.Link(self, staged) != nil {
		if err := store.CopyFile(self, staged); err != nil {
			return err
		}
		return setMode(staged, 0o755|groupMay)
	}
	return nil
}
