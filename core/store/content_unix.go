//go:build unix

package store

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"time"

	"golang.org/x/sys/unix"

	"glassjar/core/durable"
	"glassjar/core/lock"
)

// rawFile writes to a descriptor without the bookkeeping of an [os.File], which
// costs as much as making a small file.
type rawFile struct {
	fd   int
	size int64
}

func (f *rawFile) Write(p []byte) (n int, err error) {
	defer func() { f.size += int64(n) }()
	for n < len(p) {
		m, err := unix.Write(f.fd, p[n:])
		if err == unix.EINTR {
			continue
		}
		if err != nil {
			return n, err
		}
		n += m
	}
	return n, nil
}

// writeContent fills a content at its place. Who fills it holds its lock, so that
// a second process waits for it, and one that sweeps can tell what nobody fills
// any more. written is false where another was faster; fill is not called then. One of so many bytes
// as early says begins its way to the disk at once.
func writeContent(ctx context.Context, path string, mode os.FileMode, stamp time.Time, early int64, fill func(io.Writer) error) (written bool, err error) {
	fd, whole, err := claim(ctx, path)
	if err != nil || whole {
		return false, err
	}
	file := &rawFile{fd: fd}
	err = fill(file)
	if err == nil {
		err = seal(fd, path, mode, stamp)
	}
	if err == nil && file.size >= early {
		durable.Begin(fd)
	}
	if err != nil {
		os.Remove(path) // its lock is held, so it is this very file
	}
	if err2 := unix.Close(fd); err == nil {
		err = err2
	}
	return err == nil, err
}

// claim opens a content that is not whole and takes its lock.
func claim(ctx context.Context, path string) (fd int, whole bool, err error) {
	alone := unix.O_EXCL // as it is nearly always
	for {
		fd, err = unix.Open(path, unix.O_CREAT|unix.O_WRONLY|unix.O_CLOEXEC|alone, 0o200)
		switch {
		case errors.Is(err, unix.EEXIST):
			if info, err := os.Lstat(path); err == nil && info.Mode().Perm()&writable == 0 {
				return -1, true, nil
			}
			alone = 0
			continue
		case errors.Is(err, unix.ENOENT):
			if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
				return -1, false, err
			}
			continue
		case errors.Is(err, unix.EINTR):
			continue
		case errors.Is(err, unix.EACCES):
			if info, err := os.Lstat(path); err == nil && info.Mode().Perm()&writable == 0 {
				return -1, true, nil
			}
			return -1, false, &os.PathError{Op: "create", Path: path, Err: err}
		case err != nil:
			return -1, false, &os.PathError{Op: "create", Path: path, Err: err}
		}
		if err = waitForFd(ctx, fd); err != nil {
			unix.Close(fd)
			if ctx.Err() != nil {
				return -1, false, ctx.Err()
			}
			return -1, false, &os.PathError{Op: "lock", Path: path, Err: err}
		}
		var at unix.Stat_t
		if err = unix.Fstat(fd, &at); err == nil && at.Nlink > 0 && at.Mode&writable != 0 {
			if at.Size > 0 {
				err = unix.Ftruncate(fd, 0)
			}
			if err == nil {
				return fd, false, nil
			}
		}
		unix.Close(fd)
		if err != nil {
			return -1, false, &os.PathError{Op: "create", Path: path, Err: err}
		}
		if at.Nlink > 0 {
			return -1, true, nil
		}
		// It was swept away between opening and locking.
	}
}

// seal makes a content whole. Its time is set by its path: by its descriptor that takes
// /proc, which is not everywhere; its lock is held, so it is this very file.
func seal(fd int, path string, mode os.FileMode, stamp time.Time) error {
	t := unix.NsecToTimespec(stamp.Truncate(time.Second).UnixNano())
	if err := unix.UtimesNanoAt(unix.AT_FDCWD, path, []unix.Timespec{t, t}, unix.AT_SYMLINK_NOFOLLOW); err != nil {
		return &os.PathError{Op: "set the time of", Path: path, Err: err}
	}
	return unix.Fchmod(fd, uint32(mode))
}

// waitForFd locks a content that another process may be filling.
func waitForFd(ctx context.Context, fd int) error {
	for {
		err := lockFd(fd, unix.LOCK_EX|unix.LOCK_NB)
		if lock.Unsupported(err) {
			return nil // who uses a store without locks has consented to be alone ([Store.Hold])
		}
		if err != unix.EWOULDBLOCK {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(5 * time.Millisecond):
		}
	}
}

func lockFd(fd, how int) error {
	for {
		if err := unix.Flock(fd, how); err != unix.EINTR {
			return err
		}
	}
}

// sweepContent removes a content that a process left half filled.
func sweepContent(path string) {
	fd, err := unix.Open(path, unix.O_WRONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return // whole, or not there
	}
	defer unix.Close(fd)
	if lockFd(fd, unix.LOCK_EX|unix.LOCK_NB) != nil {
		return // another fills it
	}
	var at unix.Stat_t
	if unix.Fstat(fd, &at) == nil && at.Nlink > 0 && at.Mode&writable != 0 {
		os.Remove(path)
	}
}

// settle gives a file that was filled its place in the store, whatever is there: the content is
// the same.
func settle(temp, path string) (first bool, err error) { return true, os.Rename(temp, path) }
