package jar

import (
	"embed"
	"os"
	"strings"
)

// The scripts that make a shell use the jar. They hold no path: each finds its
// own place, so that a moved jar still works, and two jars of equal contents
// have equal files.
//
//go:embed activate/*
var activationFiles embed.FS

// activation are those scripts by their names in the folder of programs.
func activation(l Layout) map[string]string {
	shells := []string{"sh", "fish", "csh", "ps1", "nu"}
	if l.windows() {
		shells = []string{"sh", "ps1", "cmd", "nu"}
	}
	out := map[string]string{}
	for _, shell := range shells {
		name := "activate." + shell
		data, err := activationFiles.ReadFile("activate/" + name)
		if err != nil {
			panic(err) // it is embedded above
		}
		text := strings.ReplaceAll(string(data), "@SCRIPTS@", l.Scripts())
		if shell == "cmd" {
			text = strings.ReplaceAll(text, "\n", "\r\n")
			out["deactivate.cmd"] = "@\"%~dp0activate.cmd\" back\r\n" // for other command files; at a prompt there is a macro
		}
		if shell == "sh" {
			name = "activate"
		}
		out[name] = text
	}
	return out
}

// WriteActivation writes the activation scripts that are missing: of a jar from
// before there were scripts for so many shells.
func (j *Jar) WriteActivation() error {
	l := j.Layout()
	for name, text := range activation(l) {
		file := j.Path(l.Scripts(), name)
		if _, err := os.Lstat(file); err == nil {
			continue
		}
		if err := writeFile(file, []byte(text)); err != nil {
			return err
		}
	}
	return nil
}

// ActivationFor is the path of the script for a shell, named as its program
// is, relative to the jar; empty for a shell that there is none for.
func (l Layout) ActivationFor(shell string) string {
	ending, ok := map[string]string{"sh": "", "dash": "", "bash": "", "zsh": "", "ksh": "", "fish": ".fish", "csh": ".csh", "tcsh": ".csh",
		"pwsh": ".ps1", "powershell": ".ps1", "cmd": ".cmd", "nu": ".nu"}[shell]
	if !ok || ending == ".cmd" && !l.windows() || (ending == ".fish" || ending == ".csh") && l.windows() {
		return ""
	}
	return l.Scripts() + "/activate" + ending
}
