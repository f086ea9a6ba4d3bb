package store

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"time"

	"glassjar/core/internal/retry"
)

// writeContent fills a content beside its place and moves it there: a file that
// is open cannot be told from one that was left.
func writeContent(_ context.Context, path string, mode os.FileMode, stamp time.Time, _ int64, fill func(io.Writer) error) (written bool, err error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return false, err
	}
	temp, err := os.CreateTemp(filepath.Dir(path), unfinished)
	if err != nil {
		return false, err
	}
	defer os.Remove(temp.Name())
	err = fill(temp)
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = os.Chtimes(temp.Name(), stamp, stamp)
	}
	if err == nil {
		err = os.Chmod(temp.Name(), mode)
	}
	if err != nil {
		return false, err
	}
	return settle(temp.Name(), path)
}

// settle gives a file that was filled its place in the store. Whoever is first has it: the
// content is the same, and another program, such as one that looks for viruses, may have that
// file open for a moment. It reports whether this was the first.
func settle(temp, path string) (first bool, err error) {
	err = retry.WhileBusy(func() error {
		if _, err := os.Lstat(path); err == nil {
			first = false
			return nil
		}
		first = true
		return os.Rename(temp, path)
	})
	if _, there := os.Lstat(path); err != nil && there == nil {
		return false, nil
	}
	return first && err == nil, err
}

// sweepContent has nothing to do: what is not whole stands beside its place.
func sweepContent(string) {}
