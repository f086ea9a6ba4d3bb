package atomicfile

import (
	"io"
	"math"
	"os"
	"path/filepath"

	"glassjar/core/internal/retry"
)

// Cache writes a file of what can be had again: whole or not at all, but nothing is
// flushed, and the old one may be gone after a kill. Folders above are made. A
// symbolic link in its place is replaced. The file is the parts of data, one after
// another.
func Cache(path string, data ...[]byte) error {
	f, err := BeginCache(path)
	if err != nil {
		return err
	}
	return f.fill(data)
}

// CacheThere is [Cache] that makes no folder: a file of one that is gone is not wanted any more.
func CacheThere(path string, data []byte) error {
	f, err := begin(path)
	if err != nil {
		return err
	}
	return f.fill([][]byte{data})
}

// Cached is a file as [Cache] writes it, while that comes. It must be committed or dropped.
type Cached struct {
	*os.File
	path string
	temp string // empty where the file has no name yet
}

// BeginCache begins a file that is to be at a path.
func BeginCache(path string) (*Cached, error) {
	f, err := begin(path)
	if os.IsNotExist(err) {
		if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
			return nil, err
		}
		f, err = begin(path)
	}
	return f, err
}

// fill writes the file, and puts it into its place.
func (c *Cached) fill(data [][]byte) error {
	defer c.Drop()
	if err := writeAll(c, data); err != nil {
		return err
	}
	return c.Commit()
}

// Commit puts the file into its place.
func (c *Cached) Commit() error {
	if c.temp == "" {
		return c.link()
	}
	if err := c.Close(); err != nil {
		return err
	}
	if err := retry.WhileBusy(func() error { return os.Rename(c.temp, c.path) }); err != nil {
		return err
	}
	c.temp = ""
	return nil
}

// Drop gives the file up, unless it has its place.
func (c *Cached) Drop() {
	c.Close() // it may be closed
	if c.temp != "" {
		os.Remove(c.temp)
	}
}

// besides begins a file of another name: where the system knows none without a
// name, a killed process leaves it.
func besides(path string) (*Cached, error) {
	temp, _ := Options{}.temporary(filepath.Join(filepath.Dir(path), "."+filepath.Base(path)))
	f, err := os.OpenFile(temp, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o666)
	if err != nil {
		return nil, err
	}
	return &Cached{f, path, temp}, nil
}

// copied is a file that cannot be given a name, in one that has one.
func (c *Cached) copied() error {
	named, err := besides(c.path)
	if err != nil {
		return err
	}
	defer named.Drop()
	if _, err := io.Copy(named, io.NewSectionReader(c, 0, math.MaxInt64)); err != nil {
		return err
	}
	return named.Commit()
}
