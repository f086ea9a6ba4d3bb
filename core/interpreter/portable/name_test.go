package portable

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/tags"
)

// What fits is "", anything else is part of the reason.
func TestNames(t *testing.T) {
	here := tags.Platform{OS: "linux", Arch: "x86_64", Libc: "glibc", Major: 2, Minor: 36}
	for _, c := range []struct{ file, title, build, misfit string }{
		{"cpython-3.12.4-manylinux_2_28_x86_64.pybi", "CPython 3.12.4", "", ""},
		{"cpython-3.12.4-manylinux_2_39_x86_64.pybi", "CPython 3.12.4", "", "manylinux_2_39"},
		{"cpython-3.12.4-1-linux_x86_64.manylinux_2_17_x86_64.pybi", "CPython 3.12.4", "1", ""},
		{"cpython-3.13.0rc2-win_amd64.pybi", "CPython 3.13.0rc2", "", "win_amd64"},
		{"pypy-7.3.16-linux_x86_64.pybi", "PyPy 7.3.16", "", ""},
		{"must-1.0-linux_x86_64.pybi", "must 1.0", "", "no implementation"},
		{"cpython-3.12.4+20240713-x86_64-unknown-linux-gnu-relocatable.tar.gz", "CPython 3.12.4", "20240713", ""},
		{"cpython-3.12.4+20240713-x86_64-unknown-linux-musl-relocatable.tar.gz", "CPython 3.12.4", "20240713", "with musl"},
		{"cpython-3.12.4+20240713-x86_64_v3-unknown-linux-gnu-relocatable.tar.zst", "CPython 3.12.4", "20240713", "x86-64-v3"},
		{"cpython-3.13.1+20250101-x86_64-unknown-linux-gnu-freethreaded-relocatable.tar.xz", "CPython 3.13.1 free-threaded", "20250101", ""},
		{"cpython-3.13.1t-manylinux_2_28_x86_64.tar.gz", "CPython 3.13.1 free-threaded", "", ""},
		{"cpython-3.12.4-x86_64-unknown-linux-gnu-debug.tar.zst", "CPython 3.12.4", "", "faults in Python"},
		{"cpython-3.12.4-aarch64-apple-darwin.tar.gz", "CPython 3.12.4", "", "macos on arm64"},
		{"cpython-3.12.4-x86_64-pc-windows-msvc.zip", "CPython 3.12.4", "", "windows on amd64"},
		{"python-3.12.4-embed-amd64.zip", "CPython 3.12.4", "", "part of another program"},
		{"python-3.12.4-macosx_11_0_arm64.tar.gz", "CPython 3.12.4", "", "macosx_11_0_arm64"},
		{"cpython-3.12.4-musllinux_1_2_x86_64.pybi", "CPython 3.12.4", "", "musllinux_1_2"},
	} {
		n, ok := Parse(c.file)
		require.True(t, ok, c.file)
		assert.Equal(t, c.title, n.Title(), c.file)
		assert.Equal(t, c.build, n.Build, c.file)
		if misfit := n.Misfit(here, 2); c.misfit == "" {
			assert.Empty(t, misfit, c.file)
		} else {
			assert.Contains(t, misfit, c.misfit, c.file)
		}
	}
	for _, file := range []string{"brixmeter-1.0-py3-none-any.whl", "brixmeter-1.0.tar.gz", "cpython-3.12.4.pybi", "cpython-x-y.pybi", "cpython-3.12.4", "python-dateutil-2.8.2.tar.gz"} {
		_, ok := Parse(file)
		assert.False(t, ok, file)
	}
}

func TestBetter(t *testing.T) {
	order := []string{
		"cpython-3.13.1-linux_x86_64.pybi",
		"cpython-3.12.4+20240801-x86_64-unknown-linux-gnu.tar.gz",
		"cpython-3.12.4+20240713-x86_64_v3-unknown-linux-gnu.tar.gz",
		"cpython-3.12.4+20240713-x86_64-unknown-linux-gnu.tar.gz",
		"cpython-3.12.4-linux_x86_64.pybi",
		"cpython-3.14.0rc1-linux_x86_64.pybi",
	}
	var names []Name
	for _, file := range order {
		n, _ := Parse(file)
		names = append([]Name{n}, names...)
	}
	slices.SortFunc(names, Better)
	for i, n := range names {
		assert.Equal(t, order[i], n.File)
	}
}
