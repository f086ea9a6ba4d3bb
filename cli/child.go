package cli

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"sync"
	"syscall"
	"time"

	"glassjar/core/operation"
)

// Commands that this program waits for, since something is to be done after them.

// child is a launch as a command.
func child(ctx context.Context, l *operation.Launch) *exec.Cmd {
	cmd := exec.CommandContext(ctx, l.Path)
	cmd.Args, cmd.Env = l.Args, l.Env
	typedLine(cmd, l)
	return cmd
}

// exitOf is the code with which a command ended: 128 and the signal's number where one ended it, as
// shells have it.
func exitOf(err error) (int, error) {
	var exit *exec.ExitError
	if !errors.As(err, &exit) {
		return 0, err
	}
	if status, ok := exit.Sys().(syscall.WaitStatus); ok && exit.ExitCode() < 0 {
		return 128 + int(status.Signal()), nil
	}
	return exit.ExitCode(), nil
}

// await runs a launch at this program's terminal and waits for it. Interrupts reach it from the
// terminal; a signal to end that only this program gets is handed on.
func await(l *operation.Launch) (int, error) {
	signals := make(chan os.Signal, 1)
	signal.Notify(signals, os.Interrupt, syscall.SIGTERM)
	defer signal.Stop(signals)
	cmd := child(context.Background(), l)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := cmd.Start(); err != nil {
		return 0, operation.CannotRun(l.Path, err)
	}
	ended := make(chan struct{})
	defer close(ended)
	go func() {
		for {
			select {
			case s := <-signals:
				if s != os.Interrupt {
					_ = cmd.Process.Signal(s) // it may have ended meanwhile
				}
			case <-ended:
				return
			}
		}
	}()
	return exitOf(cmd.Wait())
}

// grace is how long a command may take to end that was told to.
const grace = 10 * time.Second

// prefixed runs a launch that has no input, each of its lines with a name before it.
func prefixed(ctx context.Context, l *operation.Launch, out, errs *lines) (int, error) {
	cmd := child(ctx, l)
	cmd.Cancel, cmd.WaitDelay = func() error { return cmd.Process.Signal(endSignal) }, grace
	cmd.Stdout, cmd.Stderr = out, errs
	if err := cmd.Start(); err != nil {
		return 0, operation.CannotRun(l.Path, err)
	}
	err := cmd.Wait()
	out.end()
	errs.end()
	return exitOf(err)
}

// lines writes whole lines, each after a prefix, to what others write to as well.
type lines struct {
	to     io.Writer
	mu     *sync.Mutex
	prefix string
	rest   []byte
}

// maxLine is how much of a line without an end is held back.
const maxLine = 64 << 10

func (w *lines) Write(p []byte) (int, error) {
	w.rest = append(w.rest, p...)
	for {
		n := bytes.IndexByte(w.rest, '\n')
		if n < 0 && len(w.rest) < maxLine {
			return len(p), nil
		}
		if n < 0 {
			n = len(w.rest) - 1
		}
		if err := w.line(w.rest[:n+1]); err != nil {
			return 0, err
		}
		w.rest = w.rest[n+1:]
	}
}

func (w *lines) line(text []byte) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	_, err := w.to.Write(append([]byte(w.prefix), text...))
	return err
}

// end writes what is left of a last line.
func (w *lines) end() {
	if len(w.rest) > 0 {
		_ = w.line(append(w.rest, '\n')) // the command has ended: its result counts
		w.rest = nil
	}
}
