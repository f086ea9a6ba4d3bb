//go:build unix

package jar

import (
	"io/fs"
	"syscall"
)

// masked tells that the user's mask takes from the mode that folders are to have.
var masked = func() bool {
	mask := syscall.Umask(0)
	syscall.Umask(mask)
	return mask&0o755 != 0
}()

// linkCount is how many names a file has.
func linkCount(info fs.FileInfo) uint64 {
	if s, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(s.Nlink)
	}
	return 1
}
