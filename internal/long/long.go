// Package long is the flag -long of every package's tests: without it a test does what takes
// seconds, with it all that it can. Every package that has tests imports this one, so that
// go test ./... -long is possible.
package long

import (
	"flag"
	"testing"
)

var (
	flagged = flag.Bool("long", false, "run also what takes minutes: campaigns of faults, loop disks, moved interpreters")
	part    = flag.Int("part", 1, "with -long: of what is tried many times, 1 of so many")
)

// Asked reports whether the flag was given. Flags must have been parsed.
func Asked() bool { return *flagged }

// Only skips a test unless the flag was given.
func Only(t testing.TB) {
	t.Helper()
	if !*flagged {
		t.Skip(Skipped)
	}
}

// Skipped is the reason that a test gives which is run with the flag only.
const Skipped = "it takes long: go test -long"

// Times returns how often something is tried: few without the flag, many with it, or the part of
// that which -part says.
func Times(few, many int) int {
	if *flagged {
		return max(few, many / *part)
	}
	return few
}

// Part reports whether only a part is to be tried.
func Part() bool { return *part > 1 }
