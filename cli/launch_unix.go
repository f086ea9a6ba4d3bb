//go:build !windows

package cli

import (
	"os/exec"
	"syscall"

	"glassjar/core/operation"
)

// launch replaces this process, so that signals, terminal and exit code are
// the command's own.
func launch(l *operation.Launch) error {
	return operation.CannotRun(l.Path, syscall.Exec(l.Path, l.Args, l.Env)) // it comes back only where it failed
}

// typedLine does nothing: only Windows starts commands by lines.
func typedLine(*exec.Cmd, *operation.Launch) {}
