// Package retry does something again that failed for a reason that may pass.
package retry

import (
	"context"
	"time"
)

// longest bounds each pause.
const longest = 16

// Do does something at most so many times, until it succeeds or fails for a reason that
// does not pass. The pauses in between grow, from pause to sixteen times as much. A
// context that ends while it waits ends it, with the context's error.
func Do(ctx context.Context, times int, pause time.Duration, passing func(error) bool, do func() error) error {
	for n := 1; ; n++ {
		err := do()
		if err == nil || n >= times || !passing(err) {
			return err
		}
		if err := Wait(ctx, pause*time.Duration(min(longest, 1<<(n-1)))); err != nil {
			return err
		}
	}
}

// Wait waits, unless the context ends first.
func Wait(ctx context.Context, d time.Duration) error {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-timer.C:
		return nil
	}
}
