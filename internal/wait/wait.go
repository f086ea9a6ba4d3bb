// Package wait has tests wait for what processors and other processes decide. There is a limit
// against a hang alone, and it is a multiple of how long a piece of work takes here and now: on a
// slow or busy machine it is as much longer as that.
package wait

import (
	"crypto/sha256"
	"sync"
	"testing"
	"time"
)

const (
	// work is how many bytes are hashed to find out how fast the machine is, and patience how
	// often as long as that is waited: a minute or more.
	work     = 16 << 20
	patience = 5000
	// fast is how long the work takes on a fast and quiet machine.
	fast = 10 * time.Millisecond
	// poll is how long a condition is left alone between two looks, at first; later five times as long.
	poll = 5 * time.Millisecond
)

// unit is how long the work took, at the first wait.
var unit = sync.OnceValue(func() time.Duration {
	begun := time.Now()
	block := make([]byte, 1<<20)
	for range work / len(block) {
		sha256.Sum256(block)
	}
	return max(time.Since(begun), fast)
})

// Longer returns d, or as much more as the machine is slower than a fast and quiet one: for limits
// that are a setting of what is tried. It is five times as much at most.
func Longer(d time.Duration) time.Duration { return min(d*unit()/fast, 5*d) }

// Until waits until done reports true, and returns false where that did not come within the limit.
// Looks are counted, not only time: what is late itself waits longer.
func Until(done func() bool) bool {
	limit := patience * unit()
	for begun, looks := time.Now(), 0; !done(); looks++ {
		if time.Since(begun) > limit && time.Duration(looks)*poll > limit/4 {
			return false
		}
		time.Sleep(poll * time.Duration(min(1+looks/4, 5)))
	}
	return true
}

// For waits until done reports true, and fails the test where that does not come.
func For(t testing.TB, done func() bool, what string, args ...any) {
	t.Helper()
	if !Until(done) {
		t.Fatalf("it did not come, in %v: "+what, append([]any{patience * unit()}, args...)...)
	}
}

// Chan waits for a value of c, or its end, and fails the test where neither comes.
func Chan[T any](t testing.TB, c <-chan T, what string, args ...any) (value T) {
	t.Helper()
	For(t, func() bool {
		select {
		case value = <-c:
			return true
		default:
			return false
		}
	}, what, args...)
	return value
}
