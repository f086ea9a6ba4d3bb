package jar_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/core/jar"
	"glassjar/core/wheel"
)

// The layouts of all systems, as data, on whatever system the test runs.
func TestLayouts(t *testing.T) {
	for _, c := range []struct {
		name                                           string
		layout                                         jar.Layout
		site, platform, scripts, python, headers, data string
		names                                          []string
	}{
		{"CPython on Linux", jar.Layout{OS: "linux", Implementation: "cpython", Major: 3, Minor: 12, Library: "lib"},
			"lib/python3.12/site-packages", "lib/python3.12/site-packages", "bin", "bin/python", "include/site/python3.12/press", ".",
			[]string{"bin/python", "bin/python3", "bin/python3.12"}},
		{"with a folder for 64 bits", jar.Layout{OS: "linux", Implementation: "cpython", Major: 3, Minor: 11, Library: "lib64"},
			"lib/python3.11/site-packages", "lib64/python3.11/site-packages", "bin", "bin/python", "include/site/python3.11/press", ".",
			[]string{"bin/python", "bin/python3", "bin/python3.11"}},
		{"free-threaded", jar.Layout{OS: "linux", Implementation: "cpython", Major: 3, Minor: 13, Library: "lib", FreeThreaded: true},
			"lib/python3.13t/site-packages", "lib/python3.13t/site-packages", "bin", "bin/python", "include/site/python3.13t/press", ".",
			[]string{"bin/python", "bin/python3", "bin/python3.13"}},
		{"Python 2", jar.Layout{OS: "linux", Implementation: "cpython", Major: 2, Minor: 7},
			"lib/python2.7/site-packages", "lib/python2.7/site-packages", "bin", "bin/python", "include/site/python2.7/press", ".",
			[]string{"bin/python", "bin/python2", "bin/python2.7"}},
		{"macOS", jar.Layout{OS: "macos", Implementation: "cpython", Major: 3, Minor: 12, Library: "lib"},
			"lib/python3.12/site-packages", "lib/python3.12/site-packages", "bin", "bin/python", "include/site/python3.12/press", ".",
			[]string{"bin/python", "bin/python3", "bin/python3.12"}},
		{"PyPy", jar.Layout{OS: "linux", Implementation: "pypy", Major: 3, Minor: 9, Library: "lib"},
			"lib/pypy3.9/site-packages", "lib/pypy3.9/site-packages", "bin", "bin/python", "include/site/pypy3.9/press", ".",
			[]string{"bin/python", "bin/python3", "bin/python3.9", "bin/pypy3.9"}},
		{"old PyPy", jar.Layout{OS: "linux", Implementation: "pypy", Major: 3, Minor: 6},
			"site-packages", "site-packages", "bin", "bin/python", "include/site/pypy3.6/press", ".",
			[]string{"bin/python", "bin/python3", "bin/python3.6", "bin/pypy3.6"}},
		{"Windows", jar.Layout{OS: "windows", Implementation: "cpython", Major: 3, Minor: 12},
			"Lib/site-packages", "Lib/site-packages", "Scripts", "Scripts/python.exe", "Include/site/press", ".",
			[]string{"Scripts/python.exe", "Scripts/pythonw.exe"}},
	} {
		l := c.layout
		assert.Equal(t, c.site, l.Site(), c.name)
		assert.Equal(t, c.platform, l.PlatformSite(), c.name)
		assert.Equal(t, c.scripts, l.Scripts(), c.name)
		assert.Equal(t, c.python, l.Python(), c.name)
		assert.Equal(t, c.names, l.PythonNames(), c.name)
		for scheme, want := range map[string]string{wheel.Purelib: c.site, wheel.Platlib: c.platform, wheel.Scripts: c.scripts, wheel.Headers: c.headers, wheel.Data: c.data} {
			assert.Equal(t, want, l.Folder(scheme, "press"), "%s: %s", c.name, scheme)
		}
	}
}

func TestRecordedPaths(t *testing.T) {
	const site = "lib/python3.12/site-packages"
	for file, recorded := range map[string]string{
		site + "/press/a.py":   "press/a.py",
		"bin/press":            "../../../bin/press",
		"share/co-op/day.txt":  "../../../share/co-op/day.txt",
		"include/site/x/y.h":   "../../../include/site/x/y.h",
		"lib/python3.12/os.py": "../../../lib/python3.12/os.py",
	} {
		assert.Equal(t, recorded, jar.FromSite(site, file))
		back, ok := jar.ToJar(site, recorded)
		assert.True(t, ok)
		assert.Equal(t, file, back)
	}
	for _, bad := range []string{"/etc/passwd", "../../../../outside", `..\..\x`, "a\x00b", "../../.."} {
		file, ok := jar.ToJar(site, bad)
		assert.False(t, ok && file != ".", "%q became %q", bad, file)
	}
}
