package apply

import (
	"cmp"
	"context"
	"fmt"
	"slices"
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
	arrived  chan ready
	done     chan struct{} // closed once err is set
	err      error
}

// fetch begins to fetch the files of a plan. It ends with the context.
func (a *Applier) fetch(ctx context.Context, w Work) *fetching {
	f := &fetching{applier: a, work: w, compiler: a.compiler(w.Python), slots: make(chan struct{}, unpackAtOnce), arrived: make(chan ready), done: make(chan struct{})}
	var files []index.File
	for _, s := range w.Steps.Install {
		if !s.File.IsSource() {
			files = append(files, s.File)
		}
	}
	f.transfer = &catalog.Transfer{Report: a.Report}
	if len(files) > 0 {
		f.transfer = w.Catalog.TransferOf(files)
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

// Files of a size are fetched by so many at a time: few of the large ones, so that
// the first is there soon and is unpacked while others come; many of the small ones, which
// wait for the answer longer than they take to come.
const (
	largeSize    = 1 << 20
	largeAtOnce  = 2
	smallSize    = 32 << 10
	smallAtOnce  = 32
	unpackAtOnce = 3
)

// all fetches everything, the largest first: what is left at the end is small.
func (f *fetching) all(ctx context.Context) error {
	list := slices.Clone(f.work.Steps.Install)
	slices.SortStableFunc(list, func(x, y plan.Choice) int { return cmp.Compare(y.File.Size, x.File.Size) })
	large, others, small := make(chan plan.Choice, len(list)), make(chan plan.Choice, len(list)), make(chan plan.Choice, len(list))
	for _, s := range list {
		switch size := s.File.Size; {
		case size >= largeSize:
			large <- s
		case size >= 0 && size < smallSize:
			small <- s
		default:
			others <- s
		}
	}
	close(large)
	close(others)
	close(small)
	group, ctx := guard.WithContext(ctx)
	drain := func(queue chan plan.Choice) error {
		for s := range queue {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := f.one(ctx, group, s); err != nil {
				return err
			}
		}
		return nil
	}
	for range largeAtOnce {
		group.Go(func() error { return drain(large) })
	}
	// The small ones come last, so that little is left to unpack when all are here.
	var once sync.Once
	taken := make(chan struct{})
	for range catalog.FetchAtOnce - largeAtOnce {
		group.Go(func() error {
			err := drain(others)
			once.Do(func() { close(taken) })
			if err != nil {
				return err
			}
			return drain(small)
		})
	}
	for range smallAtOnce - (catalog.FetchAtOnce - largeAtOnce) {
		group.Go(func() error {
			select {
			case <-taken:
				return drain(small)
			case <-ctx.Done():
				return ctx.Err()
			}
		})
	}
	return group.Wait()
}

// one fetches a file, and has it unpacked while the next is fetched.
func (f *fetching) one(ctx context.Context, group *guard.Group, s plan.Choice) error {
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
	group.Go(func() error {
		// Few at a time: what is unpacked is put in place while others are.
		select {
		case f.slots <- struct{}{}:
			defer func() { <-f.slots }()
		case <-ctx.Done():
			return ctx.Err()
		}
		tree, err := f.applier.Store.UnpackWheel(ctx, path, s.File.Name, sum, wheel.LimitsFor(f.work.system()))
		if err != nil {
			return err
		}
		return f.give(ctx, s, tree)
	})
	return nil
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
