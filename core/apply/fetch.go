package apply

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"sync"

	"glassjar/core/catalog"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/plan"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// ready is a distribution of a plan whose files are in the store.
type ready struct {
	plan.Choice
	wheel *wheel.Wheel
	tree  *store.Tree
	// stored and compiled are where the wheel's entries and their bytecode stand.
	stored, compiled func(entry int) string
}

// fetching is the way of a plan's files into the store. Each is fetched, verified
// and unpacked while others still come, and given on as soon as it is there.
type fetching struct {
	applier  *Applier
	work     Work
	transfer *catalog.Transfer
	compiler *Compiler
	slots    chan struct{} // for unpacking
	copies   chan struct{} // for copies of files of this machine that are not unpacked yet
	arrived  chan ready
	done     chan struct{} // closed once err is set
	err      error
}

// fetch begins to fetch the files of a plan. It ends with the context.
func (a *Applier) fetch(ctx context.Context, w Work) *fetching {
	f := &fetching{applier: a, work: w, compiler: a.compiler(w.Python), slots: make(chan struct{}, unpackAtOnce), copies: make(chan struct{}, copiesAtOnce),
		arrived: make(chan ready), done: make(chan struct{})}
	var files []index.File
	for _, s := range w.Steps.Install {
		if !s.File.IsSource() {
			files = append(files, s.File)
		}
	}
	f.transfer = &catalog.Transfer{Report: a.Report}
	if len(files) > 0 {
		f.transfer = w.Begun.TransferOf(w.Catalog, files)
	}
	go func() {
		defer close(f.done)
		defer close(f.arrived)
		f.err = guard.Do(func() error { return f.all(ctx) })
	}()
	return f
}

// next waits for the next distribution; false when all have come. The error is
// why there are no more.
func (f *fetching) next(ctx context.Context) (ready, bool, error) {
	select {
	case one, ok := <-f.arrived:
		if ok {
			return one, true, nil
		}
		<-f.done
		return one, false, f.err
	case <-ctx.Done():
		return ready{}, false, ctx.Err()
	}
}

// unpackAtOnce is how many are unpacked at a time.
const unpackAtOnce = 3

// copiesAtOnce is how many files of this machine have a copy in the store at a time: they are hashed
// side by side while they are copied.
const copiesAtOnce = 12

// all fetches everything, and has each unpacked while the next are fetched.
func (f *fetching) all(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	unpacking, inner := guard.WithContext(ctx)
	failed := catalog.Schedule(inner, f.work.Steps.Install, func(c plan.Choice) int64 { return c.File.Size }, func(ctx context.Context, c plan.Choice) error {
		return f.one(ctx, c, func(unpack func(context.Context) error) { unpacking.Go(func() error { return unpack(inner) }) })
	})
	if failed != nil {
		cancel()
	}
	err := unpacking.Wait()
	if failed != nil && !errors.Is(failed, context.Canceled) {
		return failed
	}
	return cmp.Or(err, failed)
}

// one fetches a file, and has it unpacked later, while the next is fetched.
func (f *fetching) one(ctx context.Context, s plan.Choice, later func(unpack func(context.Context) error)) error {
	if tree, ok := f.applier.Store.Tree(s.Package()); ok {
		return f.give(ctx, s, tree)
	}
	if s.File.IsSource() {
		return fmt.Errorf("what was built of %s is gone from the store", s.Name)
	}
	path, sum, err := f.work.Catalog.Fetch(ctx, s.File, f.transfer)
	if err != nil {
		return fmt.Errorf("%s: %w", s.File.Name, err)
	}
	later(func(ctx context.Context) error { return f.unpack(ctx, s, path, sum) })
	return nil
}

// unpack brings the files of a fetched one into the store, and gives it on. What lies elsewhere on
// this machine is copied into the store before, and removed there as soon as it is unpacked.
func (f *fetching) unpack(ctx context.Context, s plan.Choice, path, sum string) error {
	kept, limits, drop := f.applier.Store, wheel.LimitsFor(f.work.system()), func() {}
	if own, ok := kept.Package(sum); ok {
		path = own
	} else {
		if err := enter(ctx, f.copies); err != nil {
			return err
		}
		defer func() { <-f.copies }()
		var err error
		if path, err = kept.Own(ctx, path, s.File.Name, sum); err != nil {
			return err
		}
		if !kept.KeepPackages {
			drop = sync.OnceFunc(func() { kept.Drop(sum) })
			defer drop()
		}
	}
	// Few at a time: what is unpacked is put in place while others are.
	if err := enter(ctx, f.slots); err != nil {
		return err
	}
	defer func() { <-f.slots }()
	tree, err := kept.UnpackWheel(ctx, path, s.File.Name, sum, limits)
	if errors.Is(err, fs.ErrNotExist) {
		// Another process unpacked it and removed it, and has not written that down yet.
		if path, sum, err = f.work.Catalog.Fetch(ctx, s.File, f.transfer); err != nil {
			return fmt.Errorf("%s: %w", s.File.Name, err)
		}
		tree, err = kept.UnpackWheel(ctx, path, s.File.Name, sum, limits)
	}
	if err != nil {
		return err
	}
	drop()
	return f.give(ctx, s, tree)
}

// enter waits for room.
func enter(ctx context.Context, room chan struct{}) error {
	select {
	case room <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// give hands a distribution on.
func (f *fetching) give(ctx context.Context, s plan.Choice, tree *store.Tree) error {
	tree.Use()
	if s.Assumed != nil {
		if err := checkAssumed(s, tree); err != nil {
			return err
		}
	}
	w, stored, err := tree.Wheel()
	if err != nil {
		return err
	}
	compiled, err := f.compiler.of(ctx, tree)
	if err != nil {
		return err
	}
	select {
	case f.arrived <- ready{Choice: s, wheel: w, tree: tree, stored: stored, compiled: compiled}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// checkAssumed looks whether a wheel needs what the record assumed of it.
func checkAssumed(s plan.Choice, tree *store.Tree) error {
	data, err := tree.Metadata()
	if err != nil {
		return err
	}
	meta, err := metadata.Parse(data)
	if err != nil {
		return err
	}
	return s.Assumed.Check(s, meta)
}

// system is the operating system of the jar.
func (w Work) system() string {
	if w.Jar != nil {
		return w.Jar.State.OS
	}
	return w.Python.OS()
}
