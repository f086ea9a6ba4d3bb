//go:build !linux && !darwin

package store

import (
	"errors"
	"runtime"
)

// Windows cannot remove a file of which a link is in use, and knows of no mode
// that protects a linked one.
const linkable = runtime.GOOS != "windows"

// clone is not to be had here.
func clone(_, _ string) error { return errors.ErrUnsupported }
