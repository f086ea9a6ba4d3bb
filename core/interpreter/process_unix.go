//go:build unix

package interpreter

import (
	"errors"
	"os"
	"syscall"
)

// killed reports whether a process was ended from outside: by its user, or by a
// system that is short of memory.
func killed(state *os.ProcessState) bool {
	status, ok := state.Sys().(syscall.WaitStatus)
	return ok && status.Signaled() && (status.Signal() == syscall.SIGKILL || status.Signal() == syscall.SIGTERM)
}

// foreign reports whether a program could not be started since it is built for another processor
// or system.
func foreign(err error) bool { return errors.Is(err, syscall.ENOEXEC) }
