// Package shell knows how shells are told to enter a jar and to leave it: the
// texts for their start files, what they evaluate, and how one is started so
// that it is inside from its first prompt.
package shell

import (
	"embed"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/atomicfile"
)

//go:embed setup/* start/*
var files embed.FS

// Shells are those that have a text for their start file.
var Shells = []string{"bash", "zsh", "fish", "powershell"}

// Variable names the shell to a program that a set-up shell starts: then the
// program prints what the shell is to evaluate.
const Variable = "GLASSJAR_SHELL"

// UnknownError says that there is no text for a shell.
type UnknownError struct{ Shell string }

func (e *UnknownError) Error() string {
	return fmt.Sprintf("there is no set-up for the shell %q", e.Shell)
}

// Setup is what a shell's start file evaluates; onCD also enters a project's jar
// when the shell comes into its folder, and leaves it after.
func Setup(shell string, onCD bool) (string, error) {
	if shell == "pwsh" {
		shell = "powershell"
	}
	text, err := files.ReadFile("setup/" + shell)
	if err != nil {
		return "", &UnknownError{shell}
	}
	out := string(text)
	if onCD {
		more, err := files.ReadFile("setup/" + shell + "-on-cd")
		if err != nil {
			return "", &UnknownError{shell}
		}
		out += string(more)
	}
	return out, nil
}

// Enter is what a shell evaluates to read an activation script.
func Enter(shell, script string) string {
	switch shell {
	case "fish":
		return "source " + Quote(shell, script) + "\n"
	case "powershell", "pwsh":
		// Not as a script: Windows's own policy lets none be run.
		return "$env:GLASSJAR_ENTER = " + Quote(shell, script) + "; . ([ScriptBlock]::Create((Get-Content -Raw -LiteralPath $env:GLASSJAR_ENTER)))\n"
	}
	return ". " + Quote(shell, script) + "\n"
}

// Quote makes a text one word of a shell.
func Quote(shell, text string) string {
	switch shell {
	case "fish":
		return "'" + strings.NewReplacer(`\`, `\\`, `'`, `\'`).Replace(text) + "'"
	case "powershell", "pwsh":
		// All that PowerShell takes for a single quote is written twice.
		return "'" + strings.NewReplacer("'", "''", "\u2018", "\u2018\u2018", "\u2019", "\u2019\u2019", "\u201a", "\u201a\u201a", "\u201b", "\u201b\u201b").Replace(text) + "'"
	}
	return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'"
}

// Started says how a shell is started inside a jar.
type Started struct {
	// Args follow the program's name; Env is added to its environment.
	Args, Env []string
	// Line, if set, is the command line after the program's name, in the words of Windows's
	// command interpreter, which has its own.
	Line string
}

// Start says how a shell is started so that it reads an activation script after
// its own start files, which may set PATH anew. dir is a folder in which files
// for that can be kept. A shell that it knows no way for gets the environment
// alone.
func Start(program, script, dir string) (Started, error) {
	env := []string{"GLASSJAR_ENTER=" + script, "GLASSJAR_ACTIVATE=" + script}
	name := strings.TrimSuffix(strings.ToLower(filepath.Base(program)), ".exe")
	switch name {
	case "bash":
		file, err := keep(dir, "bash", "bashrc")
		return Started{Args: []string{"--rcfile", file, "-i"}, Env: env}, err
	case "zsh":
		file, err := keep(dir, "zsh", ".zshrc")
		return Started{Args: []string{"-i"}, Env: append(env, "ZDOTDIR="+filepath.Dir(file), "GLASSJAR_ZDOTDIR="+os.Getenv("ZDOTDIR"))}, err
	case "fish":
		return Started{Args: []string{"-i", "-C", Enter("fish", script)}, Env: env}, nil
	case "sh", "dash", "ksh", "mksh", "ash":
		return Started{Args: []string{"-i"}, Env: append(env, "ENV="+script)}, nil
	case "powershell", "pwsh":
		return Started{Args: []string{"-NoExit", "-Command", strings.TrimSpace(Enter("powershell", script))}, Env: env}, nil
	case "cmd":
		// The path is named by the variable: whatever it holds, nothing of it is a command.
		return Started{Line: `/d /s /k ""%GLASSJAR_ENTER%""`, Env: env}, nil
	case "csh", "tcsh":
		return Started{Env: env}, nil
	}
	return Started{Env: env}, nil
}

// keep writes a start file, if it is not there as it should be.
func keep(dir, shell, name string) (string, error) {
	text, err := files.ReadFile("start/" + shell)
	if err != nil {
		return "", err
	}
	file := filepath.Join(dir, shell, name)
	if have, err := os.ReadFile(file); err == nil && string(have) == string(text) {
		return file, nil
	}
	return file, atomicfile.Cache(file, text)
}
