// Package patience gives child processes up that hang. What counts is not the clock on the wall, by
// which a busy machine makes every process late, but what a process could have used: its processor
// time, and the time in which it and all that it started waited for something else than a processor
// or a disk.
package patience

import (
	"context"
	"errors"
	"fmt"
	"os/exec"
	"time"
)

// TimeoutError says that a process was given up.
type TimeoutError struct{ Limit time.Duration }

func (e *TimeoutError) Error() string { return fmt.Sprintf("it gave no answer in %v", e.Limit) }

// Run starts the command that build makes and waits for its end. One that has used up the limit is
// killed with what it has started, as far as the system tells that, and the error is a [*TimeoutError].
func Run(ctx context.Context, limit time.Duration, build func(context.Context) *exec.Cmd) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	cmd := build(ctx)
	if err := cmd.Start(); err != nil {
		return err
	}
	go watch(ctx, cmd.Process.Pid, limit, func(m *meter) {
		m.end()
		cancel(&TimeoutError{limit})
	})
	err := cmd.Wait()
	var late *TimeoutError
	if errors.As(context.Cause(ctx), &late) {
		return late
	}
	return err
}

// Watch calls late once a process has used up the limit from now on, and returns then, or when the
// context ends.
func Watch(ctx context.Context, pid int, limit time.Duration, late func()) {
	watch(ctx, pid, limit, func(*meter) { late() })
}

func watch(ctx context.Context, pid int, limit time.Duration, late func(*meter)) {
	every := min(max(limit/16, time.Millisecond), 100*time.Millisecond)
	ticker := time.NewTicker(every)
	defer ticker.Stop()
	m := meter{pid: pid}
	m.look(0)
	begun := m.busy
	for last := time.Now(); m.busy-begun+m.idle < limit; {
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
		now := time.Now()
		// A look that comes late itself is no more time for the process.
		m.look(min(now.Sub(last), 2*every))
		last = now
	}
	late(&m)
}

// meter adds up what a process has used.
type meter struct {
	pid  int
	busy time.Duration // processor time
	idle time.Duration // waited for others
	// started are the processes that it had started at the last look, and these.
	started []int
}
