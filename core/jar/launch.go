package jar

import (
	"os"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

//go:generate go run launcher/make.go launcher

// On Windows a script is two files: its text, in the folder "launch" of Scripts, where no
// import finds it and under its own name, so that the script knows its name; and NAME.exe, a
// small program that runs the jar's Python on it (launcher/launcher.c). It is a copy in each jar: what
// runs can be removed by nobody, and so nothing else hangs on it.
const launchFolder = "launch"

// scriptFile is where a script's text goes.
func (l Layout) scriptFile(name string) string {
	if l.windows() {
		return l.Scripts() + "/" + launchFolder + "/" + strings.TrimSuffix(name, ".py")
	}
	return l.Scripts() + "/" + name
}

// launcherOf is the program that starts a script's text, or empty where the
// text starts itself.
func (l Layout) launcherOf(file string) string {
	if l.windows() && path.Dir(file) == l.Scripts()+"/"+launchFolder {
		return l.Scripts() + "/" + path.Base(file) + ".exe"
	}
	return ""
}

// scriptFault says why a script cannot be had where its launcher stands beside the jar's own
// programs, or is empty.
func (l Layout) scriptFault(file string) string {
	exe := path.Base(l.launcherOf(file))
	if !l.windows() || exe == "." {
		return ""
	}
	switch name := strings.ToLower(strings.TrimSuffix(exe, ".exe")); name {
	case "activate", "deactivate", "python", "pythonw":
		return "its command would be run in place of the jar's own " + name
	}
	return wheel.WindowsFault(exe)
}

// stageLauncher puts a launcher under a script's name. It is not in RECORD: its bytes are
// this program's, not the distribution's.
func (a *application) stageLauncher(name, file string, windowed bool) error {
	exe := a.jar.Layout().launcherOf(file)
	if exe == "" {
		return nil
	}
	if err := a.plan(name, exe); err != nil {
		return err
	}
	data, err := launcherProgram(windowed)
	if err != nil {
		return err
	}
	return (OwnFile{Data: data, Program: true}).write(a.staged(exe))
}

// startsFromHome is the first CPython that knows on Windows whose it is when it is started by
// another program (__PYVENV_LAUNCHER__), and keeps that from what it starts.
var startsFromHome = version.MustParse("3.7.3")

// redirects reports whether a jar's Python is a launcher that starts the one it was made from.
// Others are copied.
func redirects(in interpreter.Interpreter) bool {
	return in.OS() == "windows" && in.Said.Implementation == "cpython" && !in.Version().Less(startsFromHome)
}

// windowsPython are the files by which a jar of Windows has its Python: launchers, or copies of
// the interpreter with the libraries that stand beside it.
func (l Layout) windowsPython(in interpreter.Interpreter, files map[string]OwnFile) error {
	names := l.PythonNames()
	if redirects(in) {
		for i, name := range names {
			data, err := launcherProgram(i > 0)
			if err != nil {
				return err
			}
			files[name] = OwnFile{Data: data, Program: true}
		}
		return nil
	}
	dir := filepath.Dir(in.Path)
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, e := range entries {
		switch ending := strings.ToLower(filepath.Ext(e.Name())); {
		case e.IsDir() || ending != ".dll" && ending != ".pyd":
			continue
		}
		if files[l.Scripts()+"/"+e.Name()], err = copyOf(filepath.Join(dir, e.Name())); err != nil {
			return err
		}
	}
	for i, name := range names {
		from := in.Path
		if i > 0 {
			from = windowedBeside(in.Path)
		}
		if files[name], err = copyOf(from); err != nil {
			return err
		}
	}
	return nil
}

// windowedBeside is the interpreter beside one that opens no console, or that one itself.
func windowedBeside(program string) string {
	dir, name := filepath.Split(program)
	for _, prefix := range []string{"python", "pypy"} {
		if rest, ok := strings.CutPrefix(strings.ToLower(name), prefix); ok {
			if beside := filepath.Join(dir, prefix+"w"+rest); exists(beside) {
				return beside
			}
		}
	}
	return program
}

func exists(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}

func copyOf(file string) (OwnFile, error) {
	data, err := os.ReadFile(file)
	return OwnFile{Data: data, Program: true}, err
}
