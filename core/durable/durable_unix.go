//go:build unix

package durable

import (
	"errors"
	"os"
	"syscall"
)

// flushFile is F_FULLFSYNC on macOS, as the standard library has it.
func flushFile(f *os.File) error { return unlessUnable(f.Sync()) }

// Folder flushes the names in one folder.
func Folder(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	err = unlessUnable(f.Sync())
	return errors.Join(err, f.Close())
}

// unlessUnable passes over file systems on which nothing can be flushed.
func unlessUnable(err error) error {
	for _, e := range []error{syscall.EINVAL, syscall.ENOTSUP, syscall.EOPNOTSUPP, syscall.EROFS} {
		if errors.Is(err, e) {
			return nil
		}
	}
	return err
}
