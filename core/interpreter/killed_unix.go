//go:build unix

package interpreter

import (
	"os"
	"syscall"
)

// killed reports whether a process was ended from outside: by its user, or by a
// system that is short of memory.
func killed(state *os.ProcessState) bool {
	status, ok := state.Sys().(syscall.WaitStatus)
	return ok && status.Signaled() && (status.Signal() == syscall.SIGKILL || status.Signal() == syscall.SIGTERM)
}
