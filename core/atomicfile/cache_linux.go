package atomicfile

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// begin makes a file that has no name yet, and so leaves nothing when it is killed.
func begin(path string) (*Cached, error) {
	fd, err := unix.Open(filepath.Dir(path), unix.O_TMPFILE|unix.O_RDWR|unix.O_CLOEXEC, 0o666)
	switch {
	case errors.Is(err, unix.ENOENT):
		return nil, &os.PathError{Op: "create", Path: path, Err: err}
	case err != nil:
		return besides(path) // whatever it is, that tells
	}
	return &Cached{File: os.NewFile(uintptr(fd), path), path: path}, nil
}

// link gives the file its name.
func (c *Cached) link() (err error) {
	from := fmt.Sprintf("/proc/self/fd/%d", c.Fd())
	for range 10 {
		err = unix.Linkat(unix.AT_FDCWD, from, unix.AT_FDCWD, c.path, unix.AT_SYMLINK_FOLLOW)
		if !errors.Is(err, unix.EEXIST) {
			break
		}
		if err := os.Remove(c.path); err != nil && !os.IsNotExist(err) {
			return err
		}
	}
	if err != nil && !errors.Is(err, unix.EEXIST) { // then another was faster
		return c.copied()
	}
	return nil
}
