// Package guard turns panics into errors, those of goroutines too: a fault of this
// program ends a command as any other error does, with nothing left half done.
package guard

import (
	"context"
	"fmt"
	"runtime/debug"

	"golang.org/x/sync/errgroup"
)

// PanicError is a panic.
type PanicError struct {
	// Value is what was panicked with, Stack where.
	Value any
	Stack []byte
	// Kept is a file in which this is written down, or empty.
	Kept string
}

func (e *PanicError) Error() string { return fmt.Sprintf("panic: %v", e.Value) }

// Caught is the error of a panic that was recovered.
func Caught(value any, stack []byte) *PanicError { return &PanicError{Value: value, Stack: stack} }

// Do calls f; a panic in it is an error, a [*PanicError].
func Do(f func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = Caught(r, debug.Stack())
		}
	}()
	return f()
}

// Group runs functions in goroutines of their own, as [errgroup.Group] does; one that
// panics makes Wait give a [*PanicError].
type Group struct{ inner *errgroup.Group }

// New is an empty group.
func New() *Group { return &Group{&errgroup.Group{}} }

// WithContext is a group, and a context that ends with its first error.
func WithContext(ctx context.Context) (*Group, context.Context) {
	g, ctx := errgroup.WithContext(ctx)
	return &Group{g}, ctx
}

// Go calls f in a goroutine of its own, once there is room within the limit.
func (g *Group) Go(f func() error) { g.inner.Go(func() error { return Do(f) }) }

// SetLimit bounds how many run at a time.
func (g *Group) SetLimit(n int) { g.inner.SetLimit(n) }

// Wait waits for all, and gives the first error.
func (g *Group) Wait() error { return g.inner.Wait() }
