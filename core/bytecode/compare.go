package bytecode

import (
	"context"
	"fmt"
	"runtime"
	"sync"

	"glassjar/core/guard"
	"glassjar/core/internal/patience"
)

// Pair is bytecode and the module beside which it stands.
type Pair struct {
	Source, Compiled string
	// Level is how far it was optimised: 0, 1 or 2.
	Level int
}

// Others are those of some pairs, in their order, whose bytecode an interpreter would
// take and that is not what the source compiles to. The interpreter runs none of it.
func Others(ctx context.Context, python string, pairs []Pair) ([]Pair, error) {
	other := make([]bool, len(pairs))
	next, mu := 0, sync.Mutex{}
	take := func() (int, bool) {
		mu.Lock()
		defer mu.Unlock()
		next++
		return next - 1, next <= len(pairs)
	}
	group, ctx := guard.WithContext(ctx)
	for range min(runtime.NumCPU(), len(pairs)) {
		group.Go(func() error {
			var w *worker
			defer func() {
				if w != nil {
					w.end()
				}
			}()
			for i, ok := take(); ok; i, ok = take() {
				if w == nil {
					var err error
					if w, err = start(python, compareScript); err != nil {
						return err
					}
				}
				said, err := w.ask(ctx, fmt.Sprintf("%s\t%s\t%d\n", pairs[i].Source, pairs[i].Compiled, pairs[i].Level))
				if err != nil {
					return err
				}
				if other[i] = said == "" || said == "other"; said == "" { // it made the interpreter fail
					w.end()
					w = nil
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	var out []Pair
	for i, p := range pairs {
		if other[i] {
			out = append(out, p)
		}
	}
	return out, nil
}

// ask gives the answer to a line; empty where the process ended, or took too long. The
// error is the context's.
func (w *worker) ask(ctx context.Context, line string) (string, error) {
	if _, err := w.to.Write([]byte(line)); err != nil {
		return "", nil // it has ended
	}
	watched, cancel := context.WithCancel(ctx)
	defer cancel()
	late := make(chan struct{})
	go patience.Watch(watched, w.cmd.Process.Pid, timeout, func() { close(late) })
	select {
	case said := <-w.answers:
		return said, nil
	case <-late:
		return "", nil
	case <-ctx.Done():
		return "", ctx.Err()
	}
}
