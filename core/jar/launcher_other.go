//go:build !windows

package jar

import "errors"

// launcherProgram is there on Windows only: a jar of Windows is made there.
var launcherProgram = func(windowed bool) ([]byte, error) {
	return nil, errors.New("a jar of Windows is made on Windows")
}
