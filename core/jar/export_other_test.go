//go:build !windows

package jar

import "testing"

// PretendLaunchers has jars of Windows made here, as data.
func PretendLaunchers(t *testing.T) {
	was := launcherProgram
	launcherProgram = func(windowed bool) ([]byte, error) {
		if windowed {
			return []byte("MZ windowed"), nil
		}
		return []byte("MZ console"), nil
	}
	t.Cleanup(func() { launcherProgram = was })
}
