package jar

import (
	"fmt"
	"path"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/wheel"
)

// Layout tells where things stand in a jar. All paths are relative to the jar,
// with '/' between their parts. It is computed from a description alone, so
// that another system's layout can be looked at on this one.
type Layout struct {
	// OS is "linux", "macos", "windows" or another POSIX system.
	OS string
	// Implementation is "cpython" or "pypy".
	Implementation string
	Major, Minor   int
	// FreeThreaded adds "t" to the version in paths.
	FreeThreaded bool
	// Library is the folder for compiled modules, "lib" or "lib64".
	Library string
}

// LayoutOf describes the jars of an interpreter.
func LayoutOf(in interpreter.Interpreter) Layout {
	l := Layout{OS: in.OS(), Implementation: in.Said.Implementation, FreeThreaded: in.Said.FreeThreaded, Library: in.Said.LibraryFolder}
	v := in.Version()
	_, _ = fmt.Sscanf(v.String(), "%d.%d", &l.Major, &l.Minor)
	return l
}

func (l Layout) windows() bool { return l.OS == "windows" }

// versioned is "python3.12", "pypy3.9" or, free-threaded, "python3.13t".
func (l Layout) versioned() string {
	name := "python"
	if l.Implementation == "pypy" {
		name = "pypy"
	}
	text := fmt.Sprintf("%s%d.%d", name, l.Major, l.Minor)
	if l.FreeThreaded {
		text += "t"
	}
	return text
}

// oldPyPy reports whether this is PyPy from before it took CPython's layout.
func (l Layout) oldPyPy() bool {
	return l.Implementation == "pypy" && (l.Major == 2 || l.Minor < 8)
}

// Site is the folder of pure packages.
func (l Layout) Site() string { return l.site("lib") }

// PlatformSite is the folder of packages with compiled modules.
func (l Layout) PlatformSite() string {
	if l.Library == "" {
		return l.site("lib")
	}
	return l.site(l.Library)
}

func (l Layout) site(library string) string {
	switch {
	case l.windows():
		return "Lib/site-packages"
	case l.oldPyPy():
		return "site-packages"
	}
	return path.Join(library, l.versioned(), "site-packages")
}

// Scripts is the folder of programs.
func (l Layout) Scripts() string {
	if l.windows() {
		return "Scripts"
	}
	return "bin"
}

// Python is the interpreter's path.
func (l Layout) Python() string {
	if l.windows() {
		return "Scripts/python.exe"
	}
	return "bin/python"
}

// PythonNames are the names under which the interpreter stands, the first
// being [Layout.Python].
func (l Layout) PythonNames() []string {
	if l.windows() {
		return []string{"Scripts/python.exe", "Scripts/pythonw.exe"}
	}
	names := []string{"bin/python", fmt.Sprintf("bin/python%d", l.Major), fmt.Sprintf("bin/python%d.%d", l.Major, l.Minor)}
	if l.Implementation == "pypy" {
		names = append(names, "bin/"+l.versioned())
	}
	return names
}

// Headers is the folder of a distribution's C headers.
func (l Layout) Headers(name string) string {
	if l.windows() {
		return "Include/site/" + name
	}
	return path.Join("include", "site", l.versioned(), name)
}

// Folder is where a scheme's files go; name is the distribution's.
func (l Layout) Folder(scheme, name string) string {
	switch scheme {
	case wheel.Purelib:
		return l.Site()
	case wheel.Platlib:
		return l.PlatformSite()
	case wheel.Scripts:
		return l.Scripts()
	case wheel.Headers:
		return l.Headers(name)
	}
	return "." // wheel.Data
}

// FromSite writes a path of the jar as RECORD does: relative to the site folder
// that holds the distribution's .dist-info.
func FromSite(site, file string) string {
	if rest, ok := strings.CutPrefix(file, site+"/"); ok {
		return rest
	}
	return strings.Repeat("../", strings.Count(site, "/")+1) + file
}

// ToJar is the opposite of [FromSite]. It reports false for a path that leads
// out of the jar.
func ToJar(site, recorded string) (string, bool) {
	if path.IsAbs(recorded) || strings.ContainsAny(recorded, "\x00\\") {
		return "", false
	}
	file := path.Join(site, recorded)
	return file, file != ".." && !strings.HasPrefix(file, "../")
}
