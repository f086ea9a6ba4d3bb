package atomicfile

import (
	"io"
	"os"
	"path/filepath"

	"glassjar/core/internal/retry"
)

// Cache writes a file of what can be had again: whole or not at all, but nothing is
// flushed, and the old one may be gone after a kill. Folders above are made. A
// symbolic link in its place is replaced. The file is the parts of data, one after
// another.
func Cache(path string, data ...[]byte) error {
	err := cache(path, data...)
	if os.IsNotExist(err) {
		if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
			return err
		}
		err = cache(path, data...)
	}
	return err
}

// CacheThere is [Cache] that makes no folder: a file of one that is gone is not wanted any more.
func CacheThere(path string, data []byte) error { return cache(path, data) }

// besides fills a temporary and renames it: where the system knows no file without
// a name, a killed process leaves one.
func besides(path string, data ...[]byte) error {
	temp, _ := Options{}.temporary(filepath.Join(filepath.Dir(path), "."+filepath.Base(path)))
	err := create(temp, 0o666, func(to io.Writer) error { return writeAll(to, data) })
	if err == nil {
		err = retry.WhileBusy(func() error { return os.Rename(temp, path) })
	}
	if err != nil {
		os.Remove(temp)
	}
	return err
}
