package atomicfile

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// cache fills a file that has no name yet, and so leaves nothing when it is killed.
func cache(path string, data ...[]byte) error {
	fd, err := unix.Open(filepath.Dir(path), unix.O_TMPFILE|unix.O_WRONLY|unix.O_CLOEXEC, 0o666)
	switch {
	case errors.Is(err, unix.ENOENT):
		return &os.PathError{Op: "create", Path: path, Err: err}
	case err != nil:
		return besides(path, data...) // whatever it is, that tells
	}
	f := os.NewFile(uintptr(fd), path)
	defer f.Close()
	if err := writeAll(f, data); err != nil {
		return err
	}
	for range 10 {
		err = unix.Linkat(unix.AT_FDCWD, fmt.Sprintf("/proc/self/fd/%d", fd), unix.AT_FDCWD, path, unix.AT_SYMLINK_FOLLOW)
		if !errors.Is(err, unix.EEXIST) {
			break
		}
		if err := os.Remove(path); err != nil && !os.IsNotExist(err) {
			return err
		}
	}
	if err != nil && !errors.Is(err, unix.EEXIST) { // then another was faster
		return besides(path, data...)
	}
	return nil
}
