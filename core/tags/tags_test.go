package tags_test

import (
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/vectors"
	"glassjar/core/tags"
	_ "glassjar/internal/long"
)

func texts(list []tags.Tag) []string {
	var out []string
	for _, t := range list {
		out = append(out, t.String())
	}
	return out
}

func TestVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Tags {
		p := tags.Platform{OS: c.Platform.OS, Arch: c.Platform.Arch, Libc: c.Platform.Libc}
		p.Major, p.Minor = c.Platform.LibcVersion[0], c.Platform.LibcVersion[1]
		if p.OS == "macos" {
			p.Major, p.Minor = c.Platform.Version[0], c.Platform.Version[1]
		}
		in := tags.Interpreter{Implementation: c.Interpreter[:2], Major: c.PythonVersion[0], Minor: c.PythonVersion[1], ABI: c.ABI}
		assert.Equal(t, c.Interpreter, in.Tag())
		assert.Equal(t, c.PlatformTags, p.Tags(), c.Platform)
		supported := tags.Supported(in, p)
		assert.Equal(t, c.Tags, texts(supported), c.Interpreter)
		ranks, platforms := tags.RanksOf(in, p), append(p.Tags(), "any", "win_of_another")
		first := map[tags.Tag]int{}
		for i, one := range slices.Backward(supported) {
			first[one] = i
		}
		for _, of := range supported { // and what is near them
			for _, abi := range []string{of.ABI, "none", "abi3"} {
				for _, platform := range platforms {
					near := tags.Tag{Interpreter: of.Interpreter, ABI: abi, Platform: platform}
					want, known := first[near]
					have, ok := ranks.Best([]tags.Tag{near})
					require.True(t, want == have && known == ok, "%s for %s", near, c.Interpreter)
				}
			}
		}
	}
}

func TestBuildsWithoutStableABI(t *testing.T) {
	linux := tags.Platform{OS: "linux", Arch: "x86_64", Libc: "glibc", Major: 2, Minor: 36}
	for _, c := range []struct {
		in       tags.Interpreter
		yes, not []string
	}{
		{tags.Interpreter{Implementation: "cp", Major: 3, Minor: 13, ABI: "cp313t"},
			[]string{"cp313-cp313t-linux_x86_64", "cp313-none-any", "py3-none-any"}, []string{"cp313-abi3-linux_x86_64", "cp313-cp313-linux_x86_64"}},
		{tags.Interpreter{Implementation: "cp", Major: 2, Minor: 7, ABI: "cp27mu"},
			[]string{"cp27-cp27mu-manylinux1_x86_64", "py2-none-any", "py27-none-any"}, []string{"cp27-abi3-linux_x86_64", "py3-none-any"}},
		{tags.Interpreter{Implementation: "cp", Major: 3, Minor: 6, ABI: "cp36m"},
			[]string{"cp36-cp36m-manylinux2010_x86_64", "cp35-abi3-linux_x86_64"}, []string{"cp37-abi3-linux_x86_64"}},
	} {
		ranks := tags.RanksOf(c.in, linux)
		for want, list := range map[bool][]string{true: c.yes, false: c.not} {
			for _, text := range list {
				parsed, err := tags.Parse(text)
				require.NoError(t, err)
				_, ok := ranks.Best(parsed)
				assert.Equal(t, want, ok, "%s for %s", text, strconv.Quote(c.in.ABI))
			}
		}
	}
}

func TestParse(t *testing.T) {
	list, err := tags.Parse("cp39.CP310-abi3-win32.any")
	require.NoError(t, err)
	assert.Equal(t, []string{"cp39-abi3-win32", "cp39-abi3-any", "cp310-abi3-win32", "cp310-abi3-any"}, texts(list))
	for _, bad := range []string{"", "a-b", "a-b-c-d", "a--c", "a.-b-c"} {
		_, err := tags.Parse(bad)
		assert.Error(t, err, bad)
	}
}
