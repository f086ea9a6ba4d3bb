// Package lock is the one way in which this program holds something: a file is
// locked, shared by several or exclusive to one, for as long as the process that
// holds it lives.
//
// A lock is had or is an error: a file system without locks is never taken for
// one on which nobody else is at work. Waiting ends with the context. After a lock
// was taken the file at its path is the one that is held: one that was removed
// meanwhile, by whoever held it before, would keep nobody out.
//
// Locks are taken in one order, so that no two processes wait for each other: the
// project's, the jar's, the store's, then those of lists and caches.
package lock

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"
)

// pause is how long it takes until a lock that another has is tried again, and so
// the longest time that passes between the end of a context and that of waiting.
const pause = 20 * time.Millisecond

// Mode says how a lock is to be had.
type Mode struct {
	// Shared admits others that share it too.
	Shared bool
	// Waits, if set, is called before each pause, with how long was waited so far;
	// its error ends the waiting.
	Waits func(waited time.Duration) error
	// Unlocked goes on without a lock on a file system that has none: somebody
	// has consented to be alone there.
	Unlocked bool
	// InPlace makes no folder: that of the file is there, or there is nothing to
	// be locked.
	InPlace bool
}

// Error says that a lock cannot be had.
type Error struct {
	// Path is the file to be locked.
	Path string
	Err  error
}

func (e *Error) Error() string { return fmt.Sprintf("%s cannot be locked: %v", e.Path, e.Err) }
func (e *Error) Unwrap() error { return e.Err }

// Unsupported reports whether the file system of the lock's file has no locks.
func (e *Error) Unsupported() bool { return Unsupported(e.Err) }

// BusyError says that another process held something for longer than was waited for it.
type BusyError struct{ Path string }

func (e *BusyError) Error() string { return "another process is at work on " + e.Path }

// Held is a lock that this process has; without a file where it was consented that
// there is none.
type Held struct {
	path string
	file *flock.Flock
}

// Release gives the lock up. It may be called for nil.
func (h *Held) Release() {
	if h != nil && h.file != nil {
		_ = h.file.Unlock() // closing the file gives it up in any case
	}
}

// Remove removes the lock's file, and gives the lock up. Who waits for it sees that,
// and makes a new file.
func (h *Held) Remove() {
	switch {
	case h == nil:
	case h.file == nil:
		os.Remove(h.path)
	default:
		removeHeld(h.file)
	}
}

// Take waits until a file is locked. The file is made where it is not there, and
// with it the folders above. The error is an [*Error], that of mode.Waits, or the
// context's.
func Take(ctx context.Context, path string, mode Mode) (*Held, error) {
	start := time.Now()
	for waited := time.Duration(0); ; waited = time.Since(start) {
		held, err := try(path, mode)
		if err != nil || held != nil {
			return held, err
		}
		if mode.Waits != nil {
			if err := mode.Waits(waited); err != nil {
				return nil, err
			}
		}
		timer := time.NewTimer(pause)
		select {
		case <-ctx.Done():
			timer.Stop()
			return nil, ctx.Err()
		case <-timer.C:
		}
	}
}

// Try locks a file if nobody else has it, and makes it where it is not there; nil
// if it is held. The error is an [*Error].
func Try(path string, mode Mode) (*Held, error) { return try(path, mode) }

// Free reports whether nobody holds a file exclusively, without making it or holding
// it on. A file that is not there, or cannot be asked about, is free.
func Free(path string) bool {
	l := flock.New(path, flock.SetFlag(os.O_RDONLY))
	if _, err := os.Stat(path); err != nil {
		return true
	}
	ok, err := l.TryRLock()
	if ok {
		_ = l.Unlock()
	} else {
		_ = l.Close()
	}
	return ok || err != nil
}

// try is one attempt; it is repeated where the file was removed meanwhile.
func try(path string, mode Mode) (*Held, error) {
	for range 100 {
		l, ok, err := open(path, mode)
		switch {
		case err != nil && Unsupported(err) && mode.Unlocked:
			return &Held{path: path}, nil
		case err != nil && removing(err):
			return nil, nil
		case err != nil:
			return nil, &Error{path, err}
		case !ok:
			return nil, nil
		case same(l, path):
			return &Held{path, l}, nil
		}
		_ = l.Close() // it was removed by whoever had it
	}
	return nil, &Error{path, errors.New("its file is removed again and again")}
}

// open opens and locks. Network file systems want a file that is open for writing;
// where this user may not write, reading has to do.
func open(path string, mode Mode) (*flock.Flock, bool, error) {
	var last error
	for _, flag := range []int{os.O_CREATE | os.O_RDWR, os.O_RDONLY} {
		l := flock.New(path, flock.SetFlag(flag), flock.SetPermissions(0o666))
		attempt := l.TryLock
		if mode.Shared {
			attempt = l.TryRLock
		}
		ok, err := attempt()
		if errors.Is(err, fs.ErrNotExist) && flag != os.O_RDONLY && !mode.InPlace {
			if err = os.MkdirAll(filepath.Dir(path), 0o777); err == nil {
				ok, err = attempt()
			}
		}
		if err == nil {
			if !ok {
				_ = l.Close()
			}
			return l, ok, nil
		}
		_ = l.Close()
		if last == nil {
			last = err
		}
		if !errors.Is(err, fs.ErrPermission) && !readOnly(err) {
			break
		}
	}
	var p *fs.PathError
	if errors.As(last, &p) && p.Path == path {
		last = p.Err // the path is said already
	}
	return nil, false, last
}

// same reports whether the file that is held still stands at its path.
func same(l *flock.Flock, path string) bool {
	at, err := os.Stat(path)
	if err != nil {
		return false
	}
	mine, err := l.Stat()
	return err == nil && os.SameFile(at, mine)
}
