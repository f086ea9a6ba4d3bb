package interpreter

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
)

// apart takes the current folder off the path before anything is imported: a module in
// it would run in place of one of Python's own. The option -I does the same and is not
// in every Python.
const apart = "import sys; sys.path[:1] = [p for p in sys.path[:1] if p]\n"

// Isolated is an interpreter that runs one of this program's own scripts: nothing of
// the user's variables and site folders has a say, no start-up file of the base is run,
// and nothing of the folder in which the user stands is imported or even there: the
// script works in the top folder.
func Isolated(ctx context.Context, path, script string, flags ...string) *exec.Cmd {
	args := append(append([]string{"-E", "-s", "-S", "-B"}, flags...), "-c", apart+script)
	if abs, err := filepath.Abs(path); err == nil {
		path = abs
	}
	cmd := exec.CommandContext(ctx, path, args...)
	cmd.Dir = neutral()
	if runtime.GOOS == "darwin" {
		// Else a Python that was built for an earlier system is told that it is 10.16.
		cmd.Env = append(os.Environ(), "SYSTEM_VERSION_COMPAT=0")
	}
	return cmd
}

// neutral is a folder to which no stranger can write.
func neutral() string {
	if runtime.GOOS == "windows" {
		if dir := os.Getenv("SystemRoot"); dir != "" {
			return dir
		}
	}
	return string(filepath.Separator)
}
