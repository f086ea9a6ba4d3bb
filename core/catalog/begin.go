package catalog

import (
	"context"

	"glassjar/core/guard"
	"glassjar/core/index"
)

// Begun is a fetch of files in the background, before it is settled that they are wanted.
// Whoever fetches one of them meanwhile waits for it ([Catalog.Fetch]). Nil has begun nothing.
type Begun struct {
	// Transfer counts what came, and tells nothing yet.
	Transfer *Transfer
	files    map[string]bool // by SHA-256: those that were not here
	catalog  *Catalog
	cancel   context.CancelFunc
	done     chan struct{} // closed when nothing is fetched any more
}

// Begin begins to fetch the files that are not here and whose hashes are known, several at a time.
// An error is told to who wants the file, if anybody does.
func (c *Catalog) Begin(ctx context.Context, files []index.File) *Begun {
	ctx, cancel := context.WithCancel(ctx)
	b := &Begun{Transfer: &Transfer{Report: c.Report}, files: map[string]bool{}, catalog: c, cancel: cancel, done: make(chan struct{})}
	b.Transfer.hidden.Store(true)
	var todo []index.File
	for _, f := range files {
		if f.Path == "" && f.SHA256() != "" && !f.IsSource() && !c.Here(f) && !b.files[f.SHA256()] {
			b.files[f.SHA256()] = true
			b.Transfer.total += max(f.Size, 0)
			todo = append(todo, f)
		}
	}
	go func() {
		defer close(b.done)
		_ = guard.Do(func() error {
			return Schedule(ctx, todo, func(f index.File) int64 { return f.Size }, func(ctx context.Context, f index.File) error {
				_, _, _ = c.Fetch(ctx, f, b.Transfer)
				return nil
			})
		})
	}()
	return b
}

// Has reports whether a file was not here when the fetch began, and is part of it.
func (b *Begun) Has(f index.File) bool { return b != nil && b.files[f.SHA256()] }

// End ends it: what has not come whole does not come. What another process has unpacked meanwhile
// is not wanted any more.
func (b *Begun) End() {
	b.cancel()
	<-b.done
	for sum := range b.files {
		b.catalog.Store.DropSaved(sum)
	}
}

// TransferOf counts what is to come of some files, those that were begun and others, and tells of
// it from now on.
func (b *Begun) TransferOf(c *Catalog, files []index.File) *Transfer {
	if b == nil {
		return c.TransferOf(files)
	}
	for _, f := range files {
		if !b.Has(f) {
			b.Transfer.expect(c, f)
		}
	}
	b.Transfer.hidden.Store(false)
	return b.Transfer
}

// fetchAlone fetches a file when nobody else does. Who waited finds it in the store, or fetches it
// anew where the other failed; what was fetched is not read once more.
func (c *Catalog) fetchAlone(ctx context.Context, f index.File, t *Transfer) (path, sum string, err error) {
	sum = f.SHA256()
	done := make(chan struct{})
	for {
		other, busy := c.coming.LoadOrStore(sum, done)
		if !busy {
			break
		}
		select {
		case <-other.(chan struct{}):
		case <-ctx.Done():
			return "", "", ctx.Err()
		}
	}
	defer close(done)
	defer c.coming.Delete(sum)
	if _, ok := c.came.Load(sum); ok {
		if path, ok := c.Store.Package(sum); ok {
			return path, sum, nil
		}
	}
	path, sum, err = c.fetch(ctx, f, t)
	if err == nil {
		c.came.Store(sum, true)
	}
	return path, sum, err
}
