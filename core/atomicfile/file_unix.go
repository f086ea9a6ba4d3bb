//go:build unix

package atomicfile

import (
	"io/fs"
	"os"
	"syscall"
)

// likeBefore gives a file the mode of the one that it replaces and, as far as this
// user may, the owner.
func likeBefore(file string, before fs.FileInfo) error {
	if was, ok := before.Sys().(*syscall.Stat_t); ok && (int(was.Uid) != os.Geteuid() || int(was.Gid) != os.Getegid()) {
		_ = os.Lchown(file, int(was.Uid), int(was.Gid)) // mostly only root may
	}
	return os.Chmod(file, before.Mode().Perm())
}
