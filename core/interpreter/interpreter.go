// Package interpreter finds the Pythons of a machine and asks each, once, what
// it is. What was said is kept by the file's identity, so that the second look
// starts no Python.
package interpreter

import (
	"fmt"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/requirement"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// Interpreter is what one Python said of itself.
type Interpreter struct {
	// Path is the program that jars link to.
	Path string `json:"path"`
	// Said is the probe's answer.
	Said Answer `json:"said"`
	// Libc is "glibc", "musl" or empty, with its version.
	Libc      string `json:"libc,omitempty"`
	LibcMajor int    `json:"libc_major,omitempty"`
	LibcMinor int    `json:"libc_minor,omitempty"`
}

// Answer is the JSON that the probe prints.
type Answer struct {
	Executable            string `json:"executable"`
	Version               string `json:"version"`
	Implementation        string `json:"implementation"`
	ImplementationVersion string `json:"implementation_version"`
	PythonImplementation  string `json:"python_implementation"`
	Prefix                string `json:"prefix"`
	InEnvironment         bool   `json:"in_environment"`
	BaseExecutable        string `json:"base_executable"`
	SOABI                 string `json:"soabi"`
	ExtSuffix             string `json:"ext_suffix"`
	FreeThreaded          bool   `json:"free_threaded"`
	ABIFlags              string `json:"abi_flags"`
	WideUnicode           bool   `json:"wide_unicode"`
	WithPymalloc          bool   `json:"with_pymalloc"`
	Bits                  int    `json:"bits"`
	Machine               string `json:"machine"`
	OSName                string `json:"os_name"`
	SysPlatform           string `json:"sys_platform"`
	PlatformSystem        string `json:"platform_system"`
	PlatformRelease       string `json:"platform_release"`
	PlatformVersion       string `json:"platform_version"`
	Glibc                 string `json:"glibc"`
	MacVersion            string `json:"mac_version"`
	// CacheTag is part of the names of bytecode (PEP 3147), Magic the number with
	// which it begins, in hex.
	CacheTag      string   `json:"cache_tag"`
	Magic         string   `json:"magic"`
	LibraryFolder string   `json:"library_folder"`
	SitePackages  []string `json:"site_packages"`
	Stdlib        string   `json:"stdlib"`
	Managed       bool     `json:"managed"`
}

// Version is the language's version, such as 3.11.7.
func (in Interpreter) Version() version.Version {
	v, err := version.Parse(in.Said.Version)
	if err != nil {
		return version.Version{}
	}
	return v
}

// Minor is the version's first two numbers, such as "3.11".
func (in Interpreter) Minor() string {
	major, minor := in.numbers()
	return fmt.Sprintf("%d.%d", major, minor)
}

func (in Interpreter) numbers() (major, minor int) {
	// An answer that does not read so was refused when it was taken.
	_, _ = fmt.Sscanf(in.Said.Version, "%d.%d", &major, &minor)
	return major, minor
}

// Title is how views name the interpreter: "CPython 3.11.7".
func (in Interpreter) Title() string {
	return in.Said.PythonImplementation + " " + in.Said.Version
}

// IsPyPy reports whether this is PyPy.
func (in Interpreter) IsPyPy() bool { return in.Said.Implementation == "pypy" }

// Arch is the processor as tags name it, narrowed to 32 bits where the
// interpreter is.
func (in Interpreter) Arch() string {
	if _, build, ok := strings.Cut(strings.TrimSuffix(in.Said.ExtSuffix, ".pyd"), "-win"); ok && in.Said.OSName == "nt" {
		// What it was built for: one for x64 runs on ARM64, whose name the system gives.
		if build == "32" {
			return "win32"
		}
		return strings.TrimPrefix(build, "_")
	}
	m := strings.ToLower(in.Said.Machine)
	if in.Said.Bits == 32 {
		switch m {
		case "x86_64", "amd64":
			if in.Said.OSName == "nt" {
				return "win32"
			}
			return "i686"
		case "aarch64", "armv8l":
			return "armv7l"
		}
	}
	return m
}

// OS is "linux", "macos" or "windows", or the name that Python gives.
func (in Interpreter) OS() string {
	switch in.Said.SysPlatform {
	case "darwin":
		return "macos"
	case "win32":
		return "windows"
	}
	return in.Said.SysPlatform
}

// Platform describes the system for its tags.
func (in Interpreter) Platform() tags.Platform {
	p := tags.Platform{OS: in.OS(), Arch: in.Arch(), Libc: in.Libc, Major: in.LibcMajor, Minor: in.LibcMinor}
	if p.OS == "macos" {
		_, _ = fmt.Sscanf(in.Said.MacVersion, "%d.%d", &p.Major, &p.Minor)
		if p.Major == 10 && p.Minor >= 16 {
			// What macOS 11 and later say to programs that were built for an earlier one
			// (platform.mac_ver in Python's documentation): at least 11.
			p.Major, p.Minor = 11, 0
		}
	}
	return p
}

// ABI is the tag of the native ABI.
func (in Interpreter) ABI() string {
	major, minor := in.numbers()
	soabi := in.Said.SOABI
	if soabi == "" { // Windows, and before 3.2
		if name, _, ok := strings.Cut(strings.TrimPrefix(in.Said.ExtSuffix, "."), "-"); ok && strings.HasPrefix(name, "cp") {
			return name
		}
	}
	parts := strings.Split(soabi, "-")
	switch {
	case parts[0] == "cpython" && len(parts) > 1:
		return "cp" + parts[1]
	case strings.HasPrefix(parts[0], "pypy") && len(parts) > 1:
		return parts[0] + "_" + parts[1]
	}
	abi := fmt.Sprintf("cp%d%d", major, minor)
	if major == 2 {
		if in.Said.WithPymalloc {
			abi += "m"
		}
		if in.Said.WideUnicode {
			abi += "u"
		}
	}
	return abi + in.Said.ABIFlags
}

// Tags are all that the interpreter accepts, the most preferred first.
func (in Interpreter) Tags() []tags.Tag { return tags.Supported(in.ForTags(), in.Platform()) }

// ForTags is what of the interpreter decides its tags.
func (in Interpreter) ForTags() tags.Interpreter {
	major, minor := in.numbers()
	short := map[string]string{"cpython": "cp", "pypy": "pp"}[in.Said.Implementation]
	if short == "" {
		short = in.Said.Implementation
	}
	return tags.Interpreter{Implementation: short, Major: major, Minor: minor, ABI: in.ABI()}
}

// Environment is the values of the marker variables.
func (in Interpreter) Environment() requirement.Environment {
	s := in.Said
	return requirement.Environment{
		"os_name": s.OSName, "sys_platform": s.SysPlatform, "platform_machine": s.Machine,
		"platform_python_implementation": s.PythonImplementation, "platform_release": s.PlatformRelease,
		"platform_system": s.PlatformSystem, "platform_version": s.PlatformVersion, "python_version": in.Minor(),
		"python_full_version": s.Version, "implementation_name": s.Implementation, "implementation_version": s.ImplementationVersion,
	}
}

// CompiledName is where Python looks for the bytecode of a module, a path with '/' (PEP 3147;
// PEP 304 for Python 2): tag is the interpreter's cache tag, empty for Python 2.
func CompiledName(module, tag string) string {
	if tag == "" {
		return module + "c"
	}
	return path.Join(path.Dir(module), "__pycache__", strings.TrimSuffix(path.Base(module), ".py")+"."+tag+".pyc")
}

// Home is the folder that holds the program: pyvenv.cfg's "home".
func (in Interpreter) Home() string { return filepath.Dir(in.Path) }
