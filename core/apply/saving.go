package apply

import (
	"context"
	"errors"
	"io/fs"
	"sync"
	"syscall"
	"time"

	"glassjar/core/durable"
	"glassjar/core/guard"
	"glassjar/core/store"
)

// saving makes a jar and what came into the store for it durable: at one
// stroke where both are on one file system.
type saving struct {
	store *store.Store
	disk  *durable.Disk
	one   bool
	// stop ends saving ahead, and ended tells that it has.
	stop  context.CancelFunc
	ended chan struct{}
	// mu is held by who saves. fault is what saving ahead failed with: the system may tell of a lost
	// write once only.
	mu    sync.Mutex
	fault error
}

func (a *Applier) beginSaving(ctx context.Context, root string) (*saving, error) {
	disk, err := durable.Open(root)
	if err != nil {
		return nil, err
	}
	s := &saving{store: a.Store, disk: disk, one: durable.SameDisk(root, a.Store.Dir), ended: make(chan struct{})}
	ctx, s.stop = context.WithCancel(ctx)
	go s.ahead(ctx)
	return s, nil
}

// interval is how long at least is waited before what has come is saved ahead.
const interval = 500 * time.Millisecond

// ahead saves now and then what has come into the store, so that little is left at the end: package
// files often come more slowly than a disk writes. Where the command is killed, what was saved need
// not be fetched again.
func (s *saving) ahead(ctx context.Context) {
	defer close(s.ended)
	for pause := interval; ; {
		select {
		case <-ctx.Done():
			return
		case <-time.After(pause):
		}
		began := time.Now()
		s.mu.Lock()
		if ctx.Err() == nil {
			s.fault = guard.Do(s.store.SaveNow)
		}
		failed := s.fault != nil
		s.mu.Unlock()
		if failed {
			return
		}
		pause = max(interval, 2*time.Since(began)) // others write to the disk as well
	}
}

func (s *saving) close() {
	s.stop()
	<-s.ended
	s.disk.Close()
}

// flush flushes what a jar has, and what came into the store; only then is that
// written down.
func (s *saving) flush(b *durable.Batch) error {
	s.stop()
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.fault != nil {
		return s.fault
	}
	var trees []*store.Tree
	if s.one {
		trees = s.store.Unsaved(b)
	}
	if err := b.Flush(s.disk); err != nil {
		return err
	}
	if s.one {
		return s.store.Save(trees)
	}
	return s.store.SaveNow()
}

// keep saves what came into the store though the change was given up. Where saving ahead failed
// there is nothing more to be kept.
func (s *saving) keep() error {
	err := s.flush(&durable.Batch{})
	if s.fault != nil {
		return nil
	}
	return err
}

// NoRoomError says that a disk is full, and how much is needed at least.
type NoRoomError struct {
	// Need is in bytes: of the package files to be fetched, and of all unpacked.
	Need int64
	Err  error
}

func (e *NoRoomError) Error() string { return e.Err.Error() }
func (e *NoRoomError) Unwrap() error { return e.Err }

// noRoom adds to the error of a full disk what the plan needs.
func (a *Applier) noRoom(w Work, err error) error {
	if !errors.Is(err, syscall.ENOSPC) && !errors.Is(err, syscall.EDQUOT) {
		return err
	}
	e := &NoRoomError{Err: err}
	for _, s := range w.Steps.Install {
		if t, ok := a.Store.Tree(s.Package()); ok {
			e.Need += t.Bytes()
		} else {
			e.Need += max(s.File.Size, 0)
		}
	}
	return e
}

// lost says of an error that the store lacks files, if it does; then it has
// forgotten that it had them.
func (a *Applier) lost(err error) error {
	if !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if n, err2 := a.Store.Forget(); err2 == nil && n > 0 {
		return &store.LostError{Trees: n, Err: err}
	}
	return err
}
