package operation

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/apply"
	"glassjar/core/catalog"
	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/plan"
	"glassjar/core/version"
	_ "glassjar/internal/long"
)

func TestRanksOfASearch(t *testing.T) {
	names := []string{"my-press", "pressing", "press", "compress", "press-house", "xpress-y", "the-press-house", "apple"}
	var order []string
	for rank := 0; rank < 1e5; rank++ {
		for _, n := range names {
			if rankOf("press", n) == rank {
				order = append(order, n)
			}
		}
	}
	assert.Equal(t, []string{"press", "press-house", "my-press", "the-press-house", "pressing", "compress", "xpress-y"}, order[:7])
	assert.Negative(t, rankOf("press", "apple"))
}

func TestNewestFinal(t *testing.T) {
	list := func(texts ...string) []catalog.Release {
		var files []index.File
		for _, v := range texts {
			files = append(files, index.File{Name: "p-" + v + "-py3-none-any.whl", Version: version.MustParse(v)})
		}
		return catalog.ByVersion(files)
	}
	for _, c := range []struct {
		here, want string
		newer      bool
		versions   []string
	}{
		{"1.0", "2.0", true, []string{"1.0", "2.0", "3.0b1"}},
		{"3.0a1", "3.0b1", true, []string{"1.0", "2.0", "3.0b1"}},
		{"2.0", "2.0", false, []string{"1.0", "2.0"}},
		{"1.0", "", false, []string{"2.0rc1"}},
	} {
		r, newer := newestFinal(list(c.versions...), version.MustParse(c.here))
		assert.Equal(t, c.newer, newer, c.here)
		assert.Equal(t, c.want, r.Version.String(), c.here)
	}
	first := finalFirst(list("3.0b1", "2.0", "1.0rc1", "1.0"))
	assert.Equal(t, "2.0", first[0].Version.String())
	assert.True(t, first[3].Version.IsPrerelease())
}

func TestSearchFilters(t *testing.T) {
	for _, o := range []SearchOptions{{Maturity: "ripe"}, {Python: "new"}, {Python: "3.12.1"}} {
		_, err := o.filter()
		assert.Error(t, err, o)
	}
	keep, err := SearchOptions{Maturity: "beta", Python: "3.9"}.filter()
	require.NoError(t, err)
	file := func(name, requires string) []catalog.Release {
		w, err := metadata.ParseWheelName(name)
		require.NoError(t, err)
		return []catalog.Release{{Version: w.Version, Files: []index.File{{Name: name, Wheel: &w, RequiresPython: requires}}}}
	}
	for _, c := range []struct {
		name, requires, maturity string
		want                     bool
	}{
		{"p-1-py3-none-any.whl", "", "4 - Beta", true},
		{"p-1-py3-none-any.whl", ">=3.10", "4 - Beta", false},
		{"p-1-cp39-cp39-win_amd64.whl", "", "4 - Beta", true},
		{"p-1-cp38-abi3-manylinux_2_17_x86_64.whl", "", "4 - Beta", true},
		{"p-1-cp310-cp310-win_amd64.whl", "", "4 - Beta", false},
		{"p-1-py3-none-any.whl", "", "5 - Production/Stable", false},
	} {
		assert.Equal(t, c.want, keep(Hit{Maturity: c.maturity}, file(c.name, c.requires)), c.name+c.requires)
	}
	none, err := SearchOptions{}.filter()
	assert.NoError(t, err)
	assert.Nil(t, none)
}

func TestCompareSides(t *testing.T) {
	pkg := func(v, index, contents string, sums ...string) sidePackage {
		return sidePackage{version: v, index: index, sums: sums, contents: contents}
	}
	a := &side{title: "a", python: "CPython 3.12.1", packages: map[string]sidePackage{
		"same": pkg("1", "", "x", "s1"), "gone": pkg("1", "", ""), "moved": pkg("1", "", ""), "files": pkg("1", "", "x", "s1"), "sums": pkg("1", "", "", "s1")}}
	b := &side{title: "b", python: "CPython 3.9.1", packages: map[string]sidePackage{
		"same": pkg("1", "", "x", "s2"), "new": pkg("2", "", ""), "moved": pkg("2", "", ""), "files": pkg("1", "", "y", "s1"), "sums": pkg("1", "", "", "s2", "s3")}}
	d := compareSides(a, b)
	names := func(list []plan.Item) string {
		var out []string
		for _, i := range list {
			out = append(out, i.Name)
		}
		return strings.Join(out, " ")
	}
	assert.Equal(t, "new", names(d.Added))
	assert.Equal(t, "gone", names(d.Removed))
	assert.Equal(t, "moved", names(d.Changed))
	assert.Equal(t, "files sums", names(d.OtherFiles))
	assert.Len(t, d.Pythons, 2)
	assert.Equal(t, 1, d.Same)
	assert.True(t, d.Differs())
	assert.False(t, compareSides(a, a).Differs())
}

func TestPickMoment(t *testing.T) {
	states := []jar.Moment{{Number: 1}, {Number: 2}, {Number: 5}}
	for number, want := range map[int]int{0: 2, 1: 1, 5: 5} {
		m, err := pickMoment(states, number)
		require.NoError(t, err)
		assert.Equal(t, want, m.Number)
	}
	for _, number := range []int{3, 9} {
		_, err := pickMoment(states, number)
		assert.Error(t, err)
	}
	_, err := pickMoment(states[:1], 0)
	assert.Error(t, err)
	selected, err := apply.Choices(jar.Moment{Packages: []jar.MomentPackage{
		{Name: "b", Version: "1.0", File: "b-1.0-py3-none-any.whl", SHA256: "ab", URL: "sample:b-1.0-py3-none-any.whl", Index: "sample"},
		{Name: "a", Version: "2.0", File: "a-2.0-py3-none-any.whl", SHA256: "cd", URL: "file:///x/a-2.0-py3-none-any.whl", Index: "x", Direct: true, Requested: true}}})
	require.NoError(t, err)
	assert.Equal(t, "a", selected[0].Name)
	assert.True(t, selected[0].Asked)
	assert.Empty(t, selected[0].File.Index, "what was named by its address is of no index")
	assert.NotNil(t, selected[1].File.Wheel)
	_, err = apply.Choices(jar.Moment{Packages: []jar.MomentPackage{{Name: "a", Version: "no version"}}})
	assert.Error(t, err)
}
