// Package tags implements platform compatibility tags (PEP 425, 600, 656 and
// the macOS rules of the packaging specifications): what an interpreter on a
// platform accepts, also for a platform that is not this machine.
package tags

import (
	"fmt"
	"slices"
	"strings"
)

// Tag is one interpreter, ABI and platform, in lower case.
type Tag struct{ Interpreter, ABI, Platform string }

func (t Tag) String() string { return t.Interpreter + "-" + t.ABI + "-" + t.Platform }

// Parse expands a tag set as a wheel's name writes it, such as
// "cp39.cp310-abi3-any", into every combination, in the order written.
func Parse(text string) ([]Tag, error) {
	parts := strings.Split(strings.ToLower(text), "-")
	if len(parts) != 3 {
		return nil, fmt.Errorf("%q is not a compatibility tag: it needs an interpreter, an ABI and a platform", text)
	}
	var fields [3][]string
	for i, p := range parts {
		fields[i] = strings.Split(p, ".")
		if slices.Contains(fields[i], "") {
			return nil, fmt.Errorf("%q is not a compatibility tag: a part is empty", text)
		}
	}
	// A product of sets written by hand is small; a hostile one need not be.
	if len(fields[0])*len(fields[1])*len(fields[2]) > 10000 {
		return nil, fmt.Errorf("%q is not a compatibility tag: it stands for too many", text[:40]+"...")
	}
	var out []Tag
	for _, i := range fields[0] {
		for _, a := range fields[1] {
			for _, p := range fields[2] {
				out = append(out, Tag{i, a, p})
			}
		}
	}
	return out, nil
}

// Platform describes an operating system on a processor.
type Platform struct {
	// OS is "linux", "macos" or "windows".
	OS string
	// Arch is the machine as the system's Python names it in tags: "x86_64",
	// "aarch64", "arm64", "amd64", "i686", "armv7l", "win32" and so on.
	Arch string
	// Libc is "glibc" or "musl" on Linux.
	Libc string
	// Major and Minor are the version of the C library on Linux, of the system
	// on macOS, and unused on Windows.
	Major, Minor int
}

// Tags are the platform tags that p accepts, the most preferred first.
func (p Platform) Tags() []string {
	switch p.OS {
	case "linux":
		return p.linux()
	case "macos":
		return p.macos()
	case "windows":
		if p.Arch == "x86" || p.Arch == "win32" || p.Arch == "i686" {
			return []string{"win32"}
		}
		return []string{"win_" + p.Arch}
	}
	return []string{p.OS + "_" + p.Arch}
}

// legacy are the names that glibc versions had before PEP 600.
var legacy = map[int]string{17: "manylinux2014", 12: "manylinux2010", 5: "manylinux1"}

func (p Platform) linux() []string {
	arches := []string{p.Arch}
	if p.Arch == "armv8l" {
		arches = append(arches, "armv7l")
	}
	var out []string
	for _, arch := range arches {
		switch {
		case p.Libc == "musl":
			for minor := p.Minor; minor >= 0; minor-- {
				out = append(out, fmt.Sprintf("musllinux_%d_%d_%s", p.Major, minor, arch))
			}
		case p.Libc == "glibc" && p.Major == 2:
			oldest := 17
			if arch == "x86_64" || arch == "i686" {
				oldest = 5
			}
			for minor := p.Minor; minor >= oldest; minor-- {
				out = append(out, fmt.Sprintf("manylinux_2_%d_%s", minor, arch))
				if name, ok := legacy[minor]; ok {
					out = append(out, name+"_"+arch)
				}
			}
		}
	}
	for _, arch := range arches {
		out = append(out, "linux_"+arch)
	}
	return out
}

func (p Platform) macos() []string {
	var out []string
	add := func(major, minor int, formats ...string) {
		for _, f := range formats {
			out = append(out, fmt.Sprintf("macosx_%d_%d_%s", major, minor, f))
		}
	}
	intel := []string{"x86_64", "intel", "fat64", "fat32", "universal2", "universal"}
	arm := p.Arch == "arm64"
	for major := p.Major; major >= 11; major-- {
		if arm {
			add(major, 0, "arm64", "universal2")
		} else {
			add(major, 0, intel...)
		}
	}
	// From 11 on, the series 10 counts up to 16 for compatibility. On arm64 a
	// universal2 build for Intel's systems may hold what is needed.
	minor := 16
	if p.Major == 10 {
		minor = p.Minor
	}
	for ; minor >= 4; minor-- {
		if arm {
			add(10, minor, "universal2")
		} else {
			add(10, minor, intel...)
		}
	}
	return out
}

// Interpreter is what of an interpreter decides its tags.
type Interpreter struct {
	// Implementation is "cp" for CPython, "pp" for PyPy.
	Implementation string
	// Major and Minor are the version of the language.
	Major, Minor int
	// ABI is the native ABI's tag: "cp312", "cp313t", "cp37m", "cp27mu",
	// "pypy39_pp73".
	ABI string
}

// Tag is the interpreter's own tag, such as "cp312".
func (in Interpreter) Tag() string {
	return fmt.Sprintf("%s%d%d", in.Implementation, in.Major, in.Minor)
}

// freeThreaded builds cannot load the stable ABI of those with the lock.
func (in Interpreter) freeThreaded() bool {
	return in.Implementation == "cp" && strings.HasSuffix(in.ABI, "t")
}

// pair is the interpreter and the ABI of a tag.
type pair struct{ interpreter, abi string }

// accepted are the pairs that an interpreter accepts with each platform, the most preferred first, and
// after them the interpreters of what runs anywhere.
func (in Interpreter) accepted() (pairs []pair, anywhere []string) {
	own := in.Tag()
	pairs = append(pairs, pair{own, in.ABI})
	cpython := in.Implementation == "cp"
	if stable := cpython && in.Major == 3 && in.Minor >= 2 && !in.freeThreaded(); stable {
		pairs = append(pairs, pair{own, "abi3"}, pair{own, "none"})
		for minor := in.Minor - 1; minor >= 2; minor-- {
			pairs = append(pairs, pair{fmt.Sprintf("cp3%d", minor), "abi3"})
		}
	} else {
		pairs = append(pairs, pair{own, "none"})
	}
	generic := []string{fmt.Sprintf("py%d%d", in.Major, in.Minor), fmt.Sprintf("py%d", in.Major)}
	for minor := in.Minor - 1; minor >= 0; minor-- {
		generic = append(generic, fmt.Sprintf("py%d%d", in.Major, minor))
	}
	for _, g := range generic {
		pairs = append(pairs, pair{g, "none"})
	}
	if !cpython {
		own = fmt.Sprintf("%s%d", in.Implementation, in.Major)
	}
	return pairs, append([]string{own}, generic...)
}

// Supported is every tag that in accepts on p, the most preferred first.
func Supported(in Interpreter, p Platform) []Tag {
	platforms := p.Tags()
	pairs, anywhere := in.accepted()
	out := make([]Tag, 0, len(pairs)*len(platforms)+len(anywhere))
	for _, of := range pairs {
		for _, platform := range platforms {
			out = append(out, Tag{of.interpreter, of.abi, platform})
		}
	}
	for _, interpreter := range anywhere {
		out = append(out, Tag{interpreter, "none", "any"})
	}
	return out
}

// Ranks looks up how much a tag is preferred, by its parts: there are thousands of tags, for each
// target. The zero value accepts none.
type Ranks struct {
	pairs               map[pair]int
	platforms, anywhere map[string]int
}

// RanksOf are the ranks of the tags that in accepts on p: the places of them in [Supported].
func RanksOf(in Interpreter, p Platform) Ranks {
	platforms := p.Tags()
	pairs, anywhere := in.accepted()
	r := Ranks{map[pair]int{}, places(platforms), places(anywhere)}
	for i, of := range pairs {
		if _, ok := r.pairs[of]; !ok {
			r.pairs[of] = i * len(platforms)
		}
	}
	for of, i := range r.anywhere {
		r.anywhere[of] = i + len(pairs)*len(platforms)
	}
	return r
}

// places is where each text stands first.
func places(list []string) map[string]int {
	out := make(map[string]int, len(list))
	for i, text := range list {
		if _, ok := out[text]; !ok {
			out[text] = i
		}
	}
	return out
}

// rank is the place of a tag among those that are accepted.
func (r Ranks) rank(t Tag) (int, bool) {
	if t.ABI == "none" && t.Platform == "any" {
		at, ok := r.anywhere[t.Interpreter]
		return at, ok
	}
	first, ok := r.pairs[pair{t.Interpreter, t.ABI}]
	if !ok {
		return 0, false
	}
	at, ok := r.platforms[t.Platform]
	return first + at, ok
}

// Best is the smallest rank among the tags of a file; false where none is
// accepted.
func (r Ranks) Best(of []Tag) (int, bool) {
	best, found := 0, false
	for _, t := range of {
		if rank, ok := r.rank(t); ok && (!found || rank < best) {
			best, found = rank, true
		}
	}
	return best, found
}
