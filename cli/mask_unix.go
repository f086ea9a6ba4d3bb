//go:build unix

package cli

import "syscall"

// ownRights takes out of this process's mask what would keep the user from their own
// files, and gives what brings it back, for what is started.
func ownRights() (restore func()) {
	mask := syscall.Umask(0)
	syscall.Umask(mask &^ 0o700)
	return func() { syscall.Umask(mask) }
}
