//go:build !windows

package cli

import (
	"syscall"

	"glassjar/core/operation"
)

// launch replaces this process, so that signals, terminal and exit code are
// the command's own.
func launch(l *operation.Launch) error { return syscall.Exec(l.Path, l.Args, l.Env) }
