package view

import (
	"errors"

	"golang.org/x/sys/windows"
)

// freeBytes is not asked here.
func freeBytes(string) (int64, bool) { return 0, false }

// inUse reports whether another program has a file open, and lets it be replaced by nobody.
func inUse(err error) bool {
	return errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_LOCK_VIOLATION)
}
