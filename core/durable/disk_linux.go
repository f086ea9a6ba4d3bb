package durable

import (
	"os"

	"golang.org/x/sys/unix"
)

// Linux flushes one file system at a stroke.
const wholeAtOnce = true

// Begin has what was written to a file begin its way to the disk, which waits for nothing and makes
// nothing durable: there is less to do when all is flushed.
func Begin(fd int) { _ = unix.SyncFileRange(fd, 0, 0, unix.SYNC_FILE_RANGE_WRITE) }

// Disk is the file system of a folder from a moment on. A write that failed since
// then is told when it is flushed, which it is only to handles that were open
// before.
type Disk struct{ folder *os.File }

// Open begins to watch the file system of a folder.
func Open(dir string) (*Disk, error) {
	f, err := os.Open(dir)
	if err != nil {
		return nil, err
	}
	return &Disk{f}, nil
}

// Flush flushes all of the file system.
func (d *Disk) Flush() error {
	err := unix.Syncfs(int(d.folder.Fd()))
	if err == unix.EINTR {
		err = unix.Syncfs(int(d.folder.Fd()))
	}
	if unlessUnable(err) == nil {
		return nil
	}
	return &os.PathError{Op: "flush", Path: d.folder.Name(), Err: err}
}

// Close ends watching. It may be called for nil.
func (d *Disk) Close() {
	if d != nil {
		d.folder.Close()
	}
}
