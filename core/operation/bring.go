package operation

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"glassjar/core/index"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// brought is a distribution of a plan whose files are in the store.
type brought struct {
	selection
	wheel *wheel.Wheel
	tree  *store.Tree
	// stored and compiled are where the wheel's entries and their bytecode stand.
	stored, compiled func(entry int) string
}

// bringing is the way of a plan's files into the store. Each is fetched, verified
// and unpacked while others still come, and given on as soon as it is there.
type bringing struct {
	m         *Machine
	plan      *Plan
	transfer  *transfer
	compiling *compiling
	slots     chan struct{} // for unpacking
	arrived   chan brought
	done      chan struct{} // closed once err is set
	err       error
}

// bring begins to bring the files of a plan. It ends with the context.
func (m *Machine) bring(ctx context.Context, p *Plan) *bringing {
	b := &bringing{m: m, plan: p, compiling: m.compiling(p.python), slots: make(chan struct{}, unpackAtOnce), arrived: make(chan brought), done: make(chan struct{})}
	var files []index.File
	for _, s := range p.selected {
		files = append(files, s.file)
	}
	b.transfer = &transfer{m: m}
	if len(files) > 0 {
		b.transfer = p.catalog.transferOf(files)
	}
	go func() {
		defer close(b.done)
		defer close(b.arrived)
		b.err = b.all(ctx)
	}()
	return b
}

// next waits for the next distribution; false when all have come. The error is
// why there are no more.
func (b *bringing) next(ctx context.Context) (brought, bool, error) {
	select {
	case one, ok := <-b.arrived:
		if ok {
			return one, true, nil
		}
		<-b.done
		return one, false, b.err
	case <-ctx.Done():
		return brought{}, false, ctx.Err()
	}
}

// Files of a size are fetched by so many at a time: few of the large ones, so that
// the first is there soon and is unpacked while others come.
const (
	largeSize    = 1 << 20
	largeAtOnce  = 2
	unpackAtOnce = 3
)

// all brings everything, the largest first: what is left at the end is small.
func (b *bringing) all(ctx context.Context) error {
	list := slices.Clone(b.plan.selected)
	slices.SortStableFunc(list, func(x, y selection) int { return cmp.Compare(y.file.Size, x.file.Size) })
	large, others := make(chan selection, len(list)), make(chan selection, len(list))
	for _, s := range list {
		if s.file.Size >= largeSize {
			large <- s
		} else {
			others <- s
		}
	}
	close(large)
	close(others)
	group, ctx := errgroup.WithContext(ctx)
	for n := range atOnce {
		queue := others
		if n < largeAtOnce {
			queue = large
		}
		group.Go(func() error {
			for s := range queue {
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := b.one(ctx, group, s); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return group.Wait()
}

// one fetches a file, and has it unpacked while the next is fetched.
func (b *bringing) one(ctx context.Context, group *errgroup.Group, s selection) error {
	if tree, ok := b.m.Store.Tree(s.file.SHA256()); ok {
		return b.give(ctx, s, tree)
	}
	path, sum, err := b.plan.catalog.fetchSurely(ctx, s.file, b.transfer)
	if err != nil {
		return fmt.Errorf("%s: %w", s.file.Name, err)
	}
	group.Go(func() error {
		// Few at a time: what is unpacked is put in place while others are.
		select {
		case b.slots <- struct{}{}:
			defer func() { <-b.slots }()
		case <-ctx.Done():
			return ctx.Err()
		}
		tree, err := b.m.unpack(ctx, path, s.file.Name, sum, wheel.LimitsFor(b.plan.system()))
		if err != nil {
			return err
		}
		return b.give(ctx, s, tree)
	})
	return nil
}

// give hands a distribution on.
func (b *bringing) give(ctx context.Context, s selection, tree *store.Tree) error {
	tree.Use()
	w, stored, err := wheelOf(tree)
	if err != nil {
		return err
	}
	compiled, err := b.compiling.of(ctx, tree)
	if err != nil {
		return err
	}
	select {
	case b.arrived <- brought{selection: s, wheel: w, tree: tree, stored: stored, compiled: compiled}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// system is the operating system of a plan's interpreter.
func (p *Plan) system() string {
	if p.jar != nil {
		return p.jar.State.OS
	}
	return p.python.OS()
}

// unpacking is done once for a package file, whoever asks for it.
var unpacking sync.Map // SHA-256 -> *sync.Mutex

// unpack brings the members of a wheel into the store. The wheel itself does not
// stay there, unless it is to be kept.
func (m *Machine) unpack(ctx context.Context, path, name, sum string, limits wheel.Limits) (*store.Tree, error) {
	lock, _ := unpacking.LoadOrStore(sum, &sync.Mutex{})
	lock.(*sync.Mutex).Lock()
	defer lock.(*sync.Mutex).Unlock()
	if !m.Settings.KeepPackages {
		defer func() {
			// Also where another process unpacked it while this one fetched it; else it
			// goes once what it unpacked to is saved.
			if m.Store.HasTree(sum) {
				m.Store.Drop(sum)
			}
		}()
	}
	if tree, ok := m.Store.Tree(sum); ok {
		return tree, nil
	}
	w, closer, err := openWheel(path, name, limits)
	if os.IsNotExist(err) {
		// Another process was faster, and did not keep the file.
		if tree, ok := m.Store.Tree(sum); ok {
			return tree, nil
		}
	}
	if err != nil {
		return nil, err
	}
	defer closer()
	sources := make([]store.Source, len(w.Entries))
	for i, e := range w.Entries {
		sources[i] = store.Source{Key: e.Key(), Executable: e.Executable || e.Scheme == wheel.Scripts, Size: e.Size, Hash: e.Hash, SHA256: e.SHA256(),
			Copy: func(to io.Writer) error { return w.Copy(to, e) }}
	}
	return m.Store.Unpack(ctx, sum, headOf(w.Outline()), sources)
}

func openWheel(path, name string, limits wheel.Limits) (*wheel.Wheel, func(), error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	w, err := wheel.Open(f, info.Size(), name, limits)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return w, func() { f.Close() }, nil
}

// headOf is a wheel's outline as the head of its tree.
func headOf(o wheel.Outline) []store.Fact {
	head := []store.Fact{{Key: "file", Value: o.File}, {Key: "name", Value: o.Distribution}, {Key: "info", Value: o.Info}, {Key: "purelib", Value: fmt.Sprint(o.Purelib)}}
	for _, w := range o.Warnings {
		head = append(head, store.Fact{Key: "warning", Value: w})
	}
	return head
}

// rootOf is the scheme of what stands at the root of a tree's wheel.
func rootOf(t *store.Tree) string {
	if t.Fact("purelib") == "true" {
		return wheel.Purelib
	}
	return wheel.Platlib
}

// wheelOf is the wheel that a tree was unpacked from, and where its entries stand.
func wheelOf(t *store.Tree) (*wheel.Wheel, func(entry int) string, error) {
	o := wheel.Outline{File: t.Fact("file"), Distribution: t.Fact("name"), Info: t.Fact("info"), Purelib: t.Fact("purelib") == "true"}
	for _, f := range t.Head {
		if f.Key == "warning" {
			o.Warnings = append(o.Warnings, f.Value)
		}
	}
	entries := make([]wheel.Entry, len(t.Members))
	for i, m := range t.Members {
		entries[i] = wheel.EntryOf(m.Key, m.Hash, m.Size, m.Executable)
	}
	w, err := wheel.Unpacked(o, entries, func(e wheel.Entry) (io.ReadCloser, error) {
		m, ok := t.Find(e.Key())
		if !ok {
			return nil, os.ErrNotExist
		}
		return t.Open(m)
	})
	return w, func(entry int) string { return t.Path(t.Members[entry]) }, err
}
