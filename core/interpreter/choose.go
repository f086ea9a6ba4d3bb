package interpreter

import (
	"fmt"
	"path/filepath"
	"strings"

	"glassjar/core/version"
)

// Wish is what a user asks an interpreter to be.
type Wish struct {
	// Text is the wish as written, empty for none.
	Text string
	// Path is set for a wish that names a program.
	Path string
	// Implementation is "cpython", "pypy" or empty.
	Implementation string
	Versions       version.Specifiers
	freeThreaded   bool
}

// ParseWish reads "3.12", ">=3.9,<3.12", "pypy", "pypy3.9", "3.13t" or a path.
func ParseWish(text string) (Wish, error) {
	w := Wish{Text: text}
	rest := strings.TrimSpace(text)
	if rest == "" {
		return w, nil
	}
	if strings.ContainsAny(rest, `/\`) {
		path, err := filepath.Abs(rest)
		w.Path = path
		return w, err
	}
	low := strings.ToLower(rest)
	for _, name := range []string{"cpython", "pypy", "python"} {
		if tail, ok := strings.CutPrefix(low, name); ok {
			low = strings.TrimLeft(tail, "-@ ")
			if name != "python" {
				w.Implementation = name
			}
			break
		}
	}
	if low == "" {
		return w, nil
	}
	if short, ok := strings.CutSuffix(low, "t"); ok {
		low, w.freeThreaded = short, true
	}
	spec := low
	if low[0] >= '0' && low[0] <= '9' {
		spec = "==" + strings.TrimSuffix(low, ".*") + ".*"
		if v, err := version.Parse(low); err == nil && (len(v.Release()) > 2 || v.IsPrerelease()) {
			spec = "==" + low
		}
	}
	var err error
	if w.Versions, err = version.ParseSpecifiers(spec); err != nil {
		return w, fmt.Errorf("%q names no Python: give a version (3.12), a range (\">=3.9,<3.12\"), an implementation (pypy) or a path", text)
	}
	return w, nil
}

// Accepts reports whether the interpreter is what was wished for, its path
// aside.
func (w Wish) Accepts(in Interpreter) bool {
	if w.Implementation != "" && in.Said.Implementation != w.Implementation {
		return false
	}
	return w.Takes(in.Said.Implementation, in.Version(), in.Said.FreeThreaded)
}

// Takes is [Wish.Accepts] for an interpreter of which only so much is known.
func (w Wish) Takes(implementation string, v version.Version, freeThreaded bool) bool {
	if w.Implementation != "" && implementation != w.Implementation {
		return false
	}
	if w.freeThreaded != freeThreaded && len(w.Versions) > 0 {
		return false
	}
	return w.Versions.Holds(v)
}
