package operation

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"

	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/shell"
)

// Entered is a jar that a shell is to be inside.
type Entered struct {
	Jar string
	// Script is the activation script for the shell.
	Script string
	Shell  string
	// Already tells that the shell is inside already.
	Already bool
}

// Enter finds the jar that a shell is to enter: a named one, the project's, or
// the active one. onCD is for a shell that came into a folder: only a jar that
// is trusted will do.
func (m *Machine) Enter(ctx context.Context, ref, sh string, onCD bool) (*Entered, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	if onCD {
		m.AskTrust = nil
	}
	j, err := m.openToUse(ctx, at)
	if err != nil {
		return nil, err
	}
	if _, err := j.Base(); err != nil {
		return nil, err
	}
	script := j.Layout().ActivationFor(sh)
	if script == "" {
		script = j.Layout().ActivationFor("sh")
	}
	if _, err := os.Stat(j.Path(script)); err != nil {
		if err := j.WriteActivation(); err != nil {
			return nil, err
		}
	}
	return &Entered{Jar: j.Root, Script: j.Path(script), Shell: sh, Already: m.Active != "" && place.Real(m.Active) == place.Real(j.Root)}, nil
}

// UserShell is the user's shell: the program, and its name. On Windows it is the one that this
// program was started from.
func UserShell() (program, name string) {
	program = os.Getenv("SHELL")
	if program == "" {
		program = "/bin/sh"
		if runtime.GOOS == "windows" {
			program = cmp.Or(parentShell(), os.Getenv("COMSPEC"), "cmd.exe")
		}
	}
	name = filepath.Base(program)
	return program, name[:len(name)-len(filepath.Ext(name))]
}

// EnteredVariable is set in a shell that was opened inside a jar.
const EnteredVariable = "GLASSJAR_ENTERED"

// OpenShell prepares a shell inside a jar.
func (m *Machine) OpenShell(e *Entered) (*Launch, error) {
	program, _ := UserShell()
	path, err := exec.LookPath(program)
	if err != nil {
		return nil, usage(NoShell, program)
	}
	started, err := shell.Start(path, e.Script, filepath.Join(m.Folders.State, "shell"))
	if err != nil {
		return nil, fmt.Errorf("a file for the shell cannot be written: %w", err)
	}
	j, err := jar.Open(e.Jar)
	if err != nil {
		return nil, err
	}
	env := append(m.inside(j).Environment(os.Environ()), EnteredVariable+"="+e.Jar)
	l := &Launch{Jar: e.Jar, Path: path, Args: append([]string{filepath.Base(program)}, started.Args...), Env: append(env, started.Env...)}
	if started.Line != "" {
		l.Line = `"` + path + `" ` + started.Line
	}
	return l, nil
}
