package catalog

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"glassjar/core/guard"
)

// Files of a size are fetched by so many at a time: few of the large ones, so that
// the first is there soon and is unpacked while others come; many of the small ones, which
// wait for the answer longer than they take to come.
const (
	largeSize    = 1 << 20
	largeAtOnce  = 2
	smallSize    = 32 << 10
	smallAtOnce  = 32
	othersAtOnce = 6
)

// Schedule has everything fetched by do, several at a time, the largest first: what is left at the
// end is small. The first error ends it. size is in bytes, negative where it is not known.
func Schedule[T any](ctx context.Context, list []T, size func(T) int64, do func(context.Context, T) error) error {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(x, y T) int { return cmp.Compare(size(y), size(x)) })
	large, others, small := make(chan T, len(list)), make(chan T, len(list)), make(chan T, len(list))
	for _, one := range list {
		switch n := size(one); {
		case n >= largeSize:
			large <- one
		case n >= 0 && n < smallSize:
			small <- one
		default:
			others <- one
		}
	}
	close(large)
	close(others)
	close(small)
	group, ctx := guard.WithContext(ctx)
	drain := func(queue chan T) error {
		for one := range queue {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := do(ctx, one); err != nil {
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
	for range othersAtOnce {
		group.Go(func() error {
			err := drain(others)
			once.Do(func() { close(taken) })
			if err != nil {
				return err
			}
			return drain(small)
		})
	}
	for range smallAtOnce - othersAtOnce {
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
