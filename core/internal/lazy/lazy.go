// Package lazy puts off work that only some runs of the program need. Compiling
// the patterns of all packages takes longer than starting the program.
package lazy

import (
	"regexp"
	"sync"
)

// Regexp is a pattern that is compiled when it is first used. Several goroutines
// may use it.
type Regexp func() *regexp.Regexp

// Pattern puts off compiling an expression, which must be a right one.
func Pattern(expr string) Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expr) })
}
