package operation

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"glassjar/core/catalog"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/plan"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// brought is a distribution of a plan whose files are in the store.
type brought struct {
	plan.Choice
	wheel *wheel.Wheel
	tree  *store.Tree
	// stored and compiled are where the wheel's entries and their bytecode stand.
	stored, compiled func(entry int) string
}

// bringing is the way of a plan's files into the store. Each is fetched, verified
// and unpacked while others still come, and given on as soon as it is there.
type bringing struct {
	m         *Machine
	job       *job
	transfer  *catalog.Transfer
	compiling *compiling
	slots     chan struct{} // for unpacking
	arrived   chan brought
	done      chan struct{} // closed once err is set
	err       error
}

// bring begins to bring the files of a plan. It ends with the context.
func (m *Machine) bring(ctx context.Context, p *job) *bringing {
	b := &bringing{m: m, job: p, compiling: m.compiling(p.python), slots: make(chan struct{}, unpackAtOnce), arrived: make(chan brought), done: make(chan struct{})}
	var files []index.File
	for _, s := range p.steps.Install {
		files = append(files, s.File)
	}
	b.transfer = &catalog.Transfer{Report: m.Report}
	if len(files) > 0 {
		b.transfer = p.catalog.TransferOf(files)
	}
	go func() {
		defer close(b.done)
		defer close(b.arrived)
		b.err = guard.Do(func() error { return b.all(ctx) })
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
	list := slices.Clone(b.job.steps.Install)
	slices.SortStableFunc(list, func(x, y plan.Choice) int { return cmp.Compare(y.File.Size, x.File.Size) })
	large, others := make(chan plan.Choice, len(list)), make(chan plan.Choice, len(list))
	for _, s := range list {
		if s.File.Size >= largeSize {
			large <- s
		} else {
			others <- s
		}
	}
	close(large)
	close(others)
	group, ctx := guard.WithContext(ctx)
	for n := range catalog.AtOnce {
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
func (b *bringing) one(ctx context.Context, group *guard.Group, s plan.Choice) error {
	if tree, ok := b.m.Store.Tree(s.File.SHA256()); ok {
		return b.give(ctx, s, tree)
	}
	path, sum, err := b.job.catalog.Fetch(ctx, s.File, b.transfer)
	if err != nil {
		return fmt.Errorf("%s: %w", s.File.Name, err)
	}
	group.Go(func() error {
		// Few at a time: what is unpacked is put in place while others are.
		select {
		case b.slots <- struct{}{}:
			defer func() { <-b.slots }()
		case <-ctx.Done():
			return ctx.Err()
		}
		tree, err := b.m.Store.UnpackWheel(ctx, path, s.File.Name, sum, wheel.LimitsFor(b.job.system()))
		if err != nil {
			return err
		}
		return b.give(ctx, s, tree)
	})
	return nil
}

// give hands a distribution on.
func (b *bringing) give(ctx context.Context, s plan.Choice, tree *store.Tree) error {
	tree.Use()
	w, stored, err := tree.Wheel()
	if err != nil {
		return err
	}
	compiled, err := b.compiling.of(ctx, tree)
	if err != nil {
		return err
	}
	select {
	case b.arrived <- brought{Choice: s, wheel: w, tree: tree, stored: stored, compiled: compiled}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// system is the operating system of a plan's interpreter.
func (p *job) system() string {
	if p.jar != nil {
		return p.jar.State.OS
	}
	return p.python.OS()
}
