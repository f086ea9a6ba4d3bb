package target_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/target"
	"glassjar/core/version"
	_ "glassjar/internal/long"
)

func TestMarkers(t *testing.T) {
	all, err := target.All(nil, version.MustParseSpecifiers(">=3.9"))
	require.NoError(t, err)
	require.Len(t, all, 24)
	var set target.Set
	for want, in := range map[string]func(target.Target) bool{
		"":                              func(target.Target) bool { return true },
		`python_version < "3.11"`:       func(t target.Target) bool { return t.Minor < 11 },
		`python_version == "3.12"`:      func(t target.Target) bool { return t.Minor == 12 },
		`sys_platform == "win32"`:       func(t target.Target) bool { return t.OS == "windows" },
		`sys_platform != "win32"`:       func(t target.Target) bool { return t.OS != "windows" },
		`platform_machine == "aarch64"`: func(t target.Target) bool { return t.Arch == "aarch64" },
		`sys_platform == "linux" and python_version < "3.10"`: func(t target.Target) bool { return t.OS == "linux" && t.Minor < 10 },
		`python_version < "3.10" or python_version >= "3.13"`: func(t target.Target) bool { return t.Minor < 10 || t.Minor > 12 },
	} {
		assert.Equal(t, want, set.Marker(all, in).String())
	}
	// However odd the choice, the marker is exact.
	for seed := range 200 {
		in := func(t target.Target) bool { return (t.Minor*7+len(t.Platform())*3+seed*t.Minor)%5 < 1+seed%4 }
		m := set.Marker(all, in)
		for _, one := range all {
			assert.Equal(t, in(one), m.Holds(set.Environment(one).Markers), "%d: %s for %s", seed, m, one)
		}
	}
	for _, m := range target.Environments(all) {
		text := m.String()
		assert.Contains(t, text, `python_version >= "3.9" and python_version < "3.15"`)
		assert.False(t, m.Holds(target.Target{OS: "linux", Arch: "x86_64", Implementation: "cpython", Major: 3, Minor: 8}.Environment().Markers))
	}
}

func TestParse(t *testing.T) {
	for text, want := range map[string]string{"linux-x86_64": "linux x86_64", "Linux-ARM64": "linux aarch64", "linux-amd64": "linux x86_64", "macos-arm64": "macos arm64",
		"windows-x86_64": "windows amd64", "windows-amd64": "windows amd64", "windows-arm64": "windows arm64", "plan9-x86_64": "", "linux": "", "linux-sparc": ""} {
		os, arch, err := target.Parse(text)
		if want == "" {
			assert.Error(t, err, text)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, want, os+" "+arch)
	}
}
