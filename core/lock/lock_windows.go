package lock

import (
	"errors"
	"os"

	"github.com/gofrs/flock"
	"golang.org/x/sys/windows"
)

// Unsupported tells the errors of file systems that have no locks.
func Unsupported(err error) bool {
	return errors.Is(err, windows.ERROR_NOT_SUPPORTED) || errors.Is(err, windows.ERROR_INVALID_FUNCTION)
}

func readOnly(err error) bool { return errors.Is(err, windows.ERROR_WRITE_PROTECT) }

// removing reports whether a file cannot be opened since whoever had it is removing it.
func removing(err error) bool {
	return errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_DELETE_PENDING)
}

// removeHeld closes first: a file that is open cannot be removed.
func removeHeld(l *flock.Flock) {
	_ = l.Unlock()
	os.Remove(l.Path())
}
