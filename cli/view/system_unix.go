//go:build unix

package view

import (
	"path/filepath"

	"golang.org/x/sys/unix"
)

// freeBytes is how much this user may still write to the disk of a path, or of the
// nearest folder above it that is there.
func freeBytes(path string) (int64, bool) {
	for ; path != ""; path = filepath.Dir(path) {
		var at unix.Statfs_t
		if unix.Statfs(path, &at) == nil {
			return int64(at.Bavail) * int64(at.Bsize), true
		}
		if path == filepath.Dir(path) {
			break
		}
	}
	return 0, false
}

// inUse is told of no file here: what others have open can be replaced.
func inUse(error) bool { return false }
