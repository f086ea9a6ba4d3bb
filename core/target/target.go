// Package target is the systems and Pythons that a record must serve, what each makes of
// markers and tags, and the markers that say for which of them something is.
package target

import (
	"fmt"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/requirement"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// Target is a system and a Python that a record must serve.
type Target struct {
	// OS is "linux", "macos" or "windows"; Arch as tags name it.
	OS, Arch string
	// Implementation is "cpython" or "pypy".
	Implementation string
	Major, Minor   int
}

// Platform is the target without its Python, as settings write it:
// "linux-x86_64".
func (t Target) Platform() string {
	return t.OS + "-" + map[bool]string{true: "x86_64", false: t.Arch}[t.Arch == "amd64"]
}

func (t Target) String() string {
	text := fmt.Sprintf("%s %d.%d", t.Platform(), t.Major, t.Minor)
	if t.Implementation != "cpython" {
		text += " " + t.Implementation
	}
	return text
}

// Platforms are those that are served where a spec names no others.
func Platforms() []string {
	return []string{"linux-x86_64", "linux-aarch64", "macos-arm64", "windows-x86_64"}
}

// The minor versions of Python 3 of which each is served. NewestMinor is the newest that
// this program knows.
const oldestMinor, NewestMinor = 8, 14

// lastPatch is a late patch version of each minor version. A target stands for
// interpreters that are kept up to date; that it is the same on every machine
// matters more than that it is the latest.
var lastPatch = map[int]int{8: 20, 9: 23, 10: 18, 11: 13, 12: 11, 13: 7, 14: 0}

// UnknownError says that a text names no platform.
type UnknownError struct{ Text string }

func (e *UnknownError) Error() string { return fmt.Sprintf("%q is not a target", e.Text) }

// Known are the names of platforms that there are, as [Parse] reads them.
func Known() []string { return append(Platforms(), "macos-x86_64", "windows-arm64") }

// Parse reads "linux-x86_64" and the names that people use for the
// same: "linux-arm64", "windows-amd64". The error is an [*UnknownError].
func Parse(text string) (os, arch string, err error) {
	os, arch, _ = strings.Cut(strings.ToLower(text), "-")
	same := map[string]string{"amd64": "x86_64", "x64": "x86_64", "arm64": "arm64", "aarch64": "arm64", "x86_64": "x86_64"}
	arch = same[arch]
	switch {
	case os == "linux" && arch == "arm64":
		arch = "aarch64"
	case os == "windows" && arch == "x86_64":
		arch = "amd64"
	}
	if arch == "" || os != "linux" && os != "macos" && os != "windows" {
		return "", "", &UnknownError{text}
	}
	return os, arch, nil
}

// All are the targets of some platforms, or of the default ones, for every minor version
// of Python that requires admits: the newest first, and for each the platforms in their
// order. The error is an [*UnknownError].
func All(platforms []string, requires version.Specifiers) ([]Target, error) {
	if len(platforms) == 0 {
		platforms = Platforms()
	}
	var list []Target
	for minor := NewestMinor; minor >= oldestMinor; minor-- {
		for _, p := range platforms {
			os, arch, err := Parse(p)
			if err != nil {
				return nil, err
			}
			if t := (Target{os, arch, "cpython", 3, minor}); requires.Holds(t.Python()) {
				list = append(list, t)
			}
		}
	}
	return list, nil
}

// Python is the version of Python that the target stands for.
func (t Target) Python() version.Version {
	return version.MustParse(fmt.Sprintf("%d.%d.%d", t.Major, t.Minor, lastPatch[t.Minor]))
}

// System is the target's operating system, one that is kept up to date.
func (t Target) System() tags.Platform {
	p := tags.Platform{OS: t.OS, Arch: t.Arch}
	switch t.OS {
	case "linux":
		p.Libc, p.Major, p.Minor = "glibc", 2, 39
	case "macos":
		p.Major, p.Minor = 14, 0
	}
	return p
}

// Environment is what such a system and Python make of markers and tags. The release and
// version of the system are not known.
func (t Target) Environment() Environment {
	full := t.Python().String()
	env := requirement.Environment{"os_name": "posix", "platform_release": "", "platform_version": "", "python_version": fmt.Sprintf("%d.%d", t.Major, t.Minor),
		"python_full_version": full, "implementation_name": t.Implementation, "implementation_version": full, "platform_machine": t.Arch,
		"platform_python_implementation": map[string]string{"cpython": "CPython", "pypy": "PyPy"}[t.Implementation]}
	p := t.System()
	switch t.OS {
	case "linux":
		env["sys_platform"], env["platform_system"] = "linux", "Linux"
	case "macos":
		env["sys_platform"], env["platform_system"] = "darwin", "Darwin"
	case "windows":
		env["sys_platform"], env["platform_system"], env["os_name"] = "win32", "Windows", "nt"
		env["platform_machine"] = strings.ToUpper(t.Arch)
	}
	in := tags.Interpreter{Implementation: "cp", Major: t.Major, Minor: t.Minor, ABI: fmt.Sprintf("cp%d%d", t.Major, t.Minor)}
	return Environment{Target: t.String(), Title: fmt.Sprintf("CPython %d.%d on %s", t.Major, t.Minor, t.Platform()), Markers: env,
		Ranks: tags.RanksOf(in, p), Python: t.Python()}
}

// Of is the target that an interpreter belongs to.
func Of(in interpreter.Interpreter) Target {
	t := Target{OS: in.OS(), Arch: in.Arch(), Implementation: in.Said.Implementation}
	_, _ = fmt.Sscanf(in.Minor(), "%d.%d", &t.Major, &t.Minor)
	return t
}

// condition is the part of a marker that holds on the target's platform.
func (t Target) condition() string {
	platform := map[string]string{"linux": "linux", "macos": "darwin", "windows": "win32"}[t.OS]
	if platform == "" {
		platform = t.OS
	}
	machine := t.Arch
	if t.OS == "windows" {
		machine = strings.ToUpper(machine)
	}
	text := fmt.Sprintf("sys_platform == %q and platform_machine == %q", platform, machine)
	if t.Implementation != "cpython" {
		text += fmt.Sprintf(" and implementation_name == %q", t.Implementation)
	}
	return text
}
