// Package portable reads files that hold a Python which runs wherever it is unpacked: those
// of PEP 711 (".pybi"), and archives (zip, tar with gzip, xz or zstd) whose names tell version
// and target. It starts nothing; what a file says is compared with its name, and nothing in it
// leads out of the folder that it is unpacked to.
package portable

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"glassjar/core/internal/lazy"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// Name is what the name of a file tells.
type Name struct {
	// File is the file's name.
	File string
	// Implementation is "cpython" or "pypy", in lower case.
	Implementation string
	Version        version.Version
	// Build is the build tag, or what follows '+' in a name, often a date; or empty.
	Build string
	// Platforms are platform tags, or empty where the name has a target as compilers
	// write it; then System is "linux", "macos" or "windows", Arch the processor as tags
	// name it, and Libc "glibc" or "musl" on Linux.
	Platforms          []string
	System, Arch, Libc string
	// Level is the level of the x86-64 architecture that its programs need; 1 for any.
	Level int
	// FreeThreaded tells that it has no global lock.
	FreeThreaded bool
	// Fault says why nothing is done with such a file; empty if it can be used.
	Fault string
}

// Sums is the name of the list of hashes that may stand beside files, a line of "HASH  NAME"
// for each.
const Sums = "SHA256SUMS"

// Endings are those of the files that are read.
var Endings = []string{".pybi", ".tar.gz", ".tgz", ".tar.xz", ".tar.zst", ".zip"}

var (
	archiveName = lazy.Pattern(`^(cpython|python)[-_.]?(\d+\.\d+\.\d+(?:(?:a|b|rc)\d+)?)(t?)(?:\+([a-z0-9.]+))?[-_.](.+)$`)
	tagName     = lazy.Pattern(`(?:^|[-.])((?:manylinux|musllinux|linux|macosx|win)(?:_[a-z0-9_]+|32|\d+_[a-z0-9_]+))(?:$|[-.])`)
	tripleName  = lazy.Pattern(`(?:^|[-.])(x86_64|amd64|aarch64|arm64|i686|i386|armv7l?|ppc64le|s390x|riscv64)(?:[-_]v([234]))?(?:-(?:unknown|pc|apple|w64))?-(linux|darwin|macos|windows)(?:-(gnu|musl|msvc)(?:eabi|eabihf)?)?(?:$|[-.])`)
)

// Parse reads a file's name; false for one that names no Python.
func Parse(file string) (Name, bool) {
	n := Name{File: file, Level: 1}
	low := strings.ToLower(file)
	i := slices.IndexFunc(Endings, func(end string) bool { return strings.HasSuffix(low, end) })
	if i < 0 {
		return n, false
	}
	stem := low[:len(low)-len(Endings[i])]
	if Endings[i] == ".pybi" {
		return n.standard(stem)
	}
	m := archiveName().FindStringSubmatch(stem)
	if m == nil {
		return n, false
	}
	var err error
	if n.Version, err = version.Parse(m[2]); err != nil {
		return n, false
	}
	n.Implementation, n.FreeThreaded, n.Build = "cpython", m[3] == "t", m[4]
	rest := m[5]
	if tag := tagName().FindStringSubmatch(rest); tag != nil {
		n.Platforms, rest = []string{tag[1]}, strings.Replace(rest, tag[1], "", 1)
	} else if t := tripleName().FindStringSubmatch(rest); t != nil {
		n.triple(t)
		rest = strings.Replace(rest, strings.Trim(t[0], "-."), "", 1)
	} else {
		n.Fault = "its name does not tell for which system it is"
	}
	n.words(rest)
	return n, true
}

// standard reads a name of PEP 711: {distribution}-{version}[-{build tag}]-{platform tag}.
func (n Name) standard(stem string) (Name, bool) {
	parts := strings.Split(stem, "-")
	if len(parts) < 3 || len(parts) > 4 || parts[0] == "" {
		return n, false
	}
	v, err := version.Parse(parts[1])
	if err != nil {
		return n, false
	}
	n.Implementation, n.Version = parts[0], v
	if len(parts) == 4 {
		n.Build = parts[2]
	}
	n.Platforms = strings.Split(parts[len(parts)-1], ".")
	if n.Implementation != "cpython" && n.Implementation != "pypy" {
		n.Fault = "it is no implementation of Python that is known here"
	}
	return n, true
}

// triple takes a target as compilers write it.
func (n *Name) triple(t []string) {
	n.Arch = map[string]string{"amd64": "x86_64", "i386": "i686", "armv7": "armv7l"}[t[1]]
	if n.Arch == "" {
		n.Arch = t[1]
	}
	if t[2] != "" {
		n.Level = int(t[2][0] - '0')
	}
	switch t[3] {
	case "linux":
		n.System, n.Libc = "linux", "glibc"
		if t[4] == "musl" {
			n.Libc = "musl"
		}
	case "windows":
		n.System = "windows"
		n.Arch = map[string]string{"x86_64": "amd64", "i686": "win32", "aarch64": "arm64"}[n.Arch]
	default:
		n.System = "macos"
		if n.Arch == "aarch64" {
			n.Arch = "arm64"
		}
	}
}

// words takes what else a name says.
func (n *Name) words(rest string) {
	for _, word := range strings.FieldsFunc(rest, func(r rune) bool { return r == '-' || r == '_' || r == '.' || r == '+' }) {
		switch word {
		case "freethreaded", "nogil":
			n.FreeThreaded = true
		case "debug":
			n.Fault = "it is built for those who look for faults in Python itself"
		case "static":
			n.Fault = "it can load no compiled modules"
		case "embed", "embeddable":
			n.Fault = "it is made to be part of another program, and takes no packages"
		case "src", "source":
			n.Fault = "it holds Python's sources"
		}
	}
}

// Misfit says why such a Python does not run on a platform whose processor has a level;
// empty if it may.
func (n Name) Misfit(p tags.Platform, level int) string {
	switch {
	case n.Fault != "":
		return n.Fault
	case n.Level > level:
		return fmt.Sprintf("it needs a processor of level x86-64-v%d", n.Level)
	case len(n.Platforms) > 0:
		accepted := p.Tags()
		if slices.ContainsFunc(n.Platforms, func(tag string) bool { return slices.Contains(accepted, tag) }) {
			return ""
		}
		return "it is for " + strings.Join(n.Platforms, ", ")
	case n.System != p.OS || n.Arch != p.Arch:
		return "it is for " + n.System + " on " + n.Arch
	case n.System == "linux" && n.Libc != p.Libc:
		return "it is for systems with " + n.Libc
	}
	return ""
}

// Title is how views name the Python: "CPython 3.12.4".
func (n Name) Title() string {
	title := map[string]string{"cpython": "CPython", "pypy": "PyPy"}[n.Implementation]
	if title == "" {
		title = n.Implementation
	}
	if n.FreeThreaded {
		return title + " " + n.Version.String() + " free-threaded"
	}
	return title + " " + n.Version.String()
}

// Better compares two files that fit: the newer version first, a final one before a
// pre-release; of equal ones the later build, the standard's form, and the higher level.
func Better(a, b Name) int {
	if a.Version.IsPrerelease() != b.Version.IsPrerelease() {
		if a.Version.IsPrerelease() {
			return 1
		}
		return -1
	}
	if c := b.Version.Compare(a.Version); c != 0 {
		return c
	}
	standard := func(n Name) int {
		if strings.HasSuffix(strings.ToLower(n.File), ".pybi") {
			return 0
		}
		return 1
	}
	return cmp.Or(cmp.Compare(b.Build, a.Build), cmp.Compare(standard(a), standard(b)), cmp.Compare(b.Level, a.Level), cmp.Compare(len(a.File), len(b.File)), cmp.Compare(a.File, b.File))
}
