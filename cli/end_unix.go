//go:build !windows

package cli

import "syscall"

// endSignal tells a command to end.
const endSignal = syscall.SIGTERM
