package operation

import (
	"fmt"
	"strings"
	"sync"

	"glassjar/core/interpreter"
	"glassjar/core/project"
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

// defaultPlatforms and the Pythons of which each minor version is served,
// where the spec names no others.
var defaultPlatforms = []string{"linux-x86_64", "linux-aarch64", "macos-arm64", "windows-x86_64"}

const oldestMinor, newestMinor = 8, 14

// lastPatch is a late patch version of each minor version. A target stands for
// interpreters that are kept up to date; that it is the same on every machine
// matters more than that it is the latest.
var lastPatch = map[int]int{8: 20, 9: 23, 10: 18, 11: 13, 12: 11, 13: 7, 14: 0}

// ParsePlatform reads "linux-x86_64" and the names that people use for the
// same: "linux-arm64", "windows-amd64".
func ParsePlatform(text string) (os, arch string, err error) {
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
		return "", "", usage("%q is not a target", "targets are "+strings.Join(defaultPlatforms, ", ")+", macos-x86_64, windows-arm64", text)
	}
	return os, arch, nil
}

// targetsOf are those that the spec names, or the default ones, for every
// minor version of Python that the project takes: the newest first, and for
// each the platforms in their order. explicit tells that the spec names them.
func targetsOf(spec *project.Spec) (list []Target, explicit bool, err error) {
	platforms := defaultPlatforms
	if len(spec.Tool.Targets) > 0 {
		platforms, explicit = spec.Tool.Targets, true
	}
	for minor := newestMinor; minor >= oldestMinor; minor-- {
		for _, p := range platforms {
			os, arch, err := ParsePlatform(p)
			if err != nil {
				return nil, false, err
			}
			t := Target{os, arch, "cpython", 3, minor}
			if spec.RequiresPython.Holds(t.python()) {
				list = append(list, t)
			}
		}
	}
	return list, explicit, nil
}

func (t Target) python() version.Version {
	return version.MustParse(fmt.Sprintf("%d.%d.%d", t.Major, t.Minor, lastPatch[t.Minor]))
}

// environment is what such a system and Python make of markers and tags. The
// release and version of the system are not known.
func (t Target) environment() environment {
	if e, ok := environmentsKnown.Load(t); ok {
		return e.(environment)
	}
	e := t.describe()
	environmentsKnown.Store(t, e)
	return e
}

// environmentsKnown keeps what was computed: tags are many, and markers are
// tried on every target.
var environmentsKnown sync.Map

func (t Target) describe() environment {
	full := t.python().String()
	env := requirement.Environment{"os_name": "posix", "platform_release": "", "platform_version": "", "python_version": fmt.Sprintf("%d.%d", t.Major, t.Minor),
		"python_full_version": full, "implementation_name": t.Implementation, "implementation_version": full, "platform_machine": t.Arch,
		"platform_python_implementation": map[string]string{"cpython": "CPython", "pypy": "PyPy"}[t.Implementation]}
	p := tags.Platform{OS: t.OS, Arch: t.Arch}
	switch t.OS {
	case "linux":
		env["sys_platform"], env["platform_system"] = "linux", "Linux"
		p.Libc, p.Major, p.Minor = "glibc", 2, 39
	case "macos":
		env["sys_platform"], env["platform_system"] = "darwin", "Darwin"
		p.Major, p.Minor = 14, 0
	case "windows":
		env["sys_platform"], env["platform_system"], env["os_name"] = "win32", "Windows", "nt"
		env["platform_machine"] = strings.ToUpper(t.Arch)
	}
	in := tags.Interpreter{Implementation: "cp", Major: t.Major, Minor: t.Minor, ABI: fmt.Sprintf("cp%d%d", t.Major, t.Minor)}
	return environment{title: fmt.Sprintf("CPython %d.%d on %s", t.Major, t.Minor, t.Platform()), markers: env,
		ranks: tags.RanksOf(tags.Supported(in, p)), python: t.python()}
}

// targetOf is the target that an interpreter belongs to.
func targetOf(in interpreter.Interpreter) Target {
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
