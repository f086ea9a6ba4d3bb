package view

import (
	"errors"
	"syscall"
)

// isErrno reports whether an error is a number that the system gave.
func isErrno(err error) bool {
	var n syscall.Errno
	return errors.As(err, &n)
}
