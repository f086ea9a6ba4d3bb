package store

import (
	"os"

	"golang.org/x/sys/unix"
)

const linkable = true

// clone shares the bytes of a file (clonefile), which keeps its time.
func clone(from, to string) error {
	if err := unix.Clonefile(from, to, unix.CLONE_NOFOLLOW); err != nil {
		return err
	}
	info, err := os.Lstat(to)
	if err != nil {
		return err
	}
	return os.Chmod(to, info.Mode().Perm()|0o200)
}
