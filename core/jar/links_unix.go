//go:build unix

package jar

import (
	"io/fs"
	"syscall"
)

// linkCount is how many names a file has.
func linkCount(info fs.FileInfo) uint64 {
	if s, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(s.Nlink)
	}
	return 1
}
