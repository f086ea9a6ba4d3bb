package operation

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/version"
)

// orchard is a graph of lines "name version: need, need"; roots are "PART need".
func orchard(t *testing.T, roots []string, lines ...string) *graph {
	g := &graph{installed: map[string]jar.Installed{}, needs: map[string][]Need{}, by: map[string][]string{}, base: map[string]catalog.Present{}}
	parse := func(text string) requirement.Requirement {
		r, err := requirement.Parse(text)
		require.NoError(t, err)
		return r
	}
	for _, line := range lines {
		head, needs, _ := strings.Cut(line, ":")
		name, v, _ := strings.Cut(head, " ")
		meta := metadata.Metadata{Name: name, Version: version.MustParse(v)}
		for _, n := range strings.Split(needs, ",") {
			if n = strings.TrimSpace(n); n != "" {
				meta.Requires = append(meta.Requires, parse(n))
			}
		}
		g.installed[name] = jar.Installed{Metadata: meta}
	}
	g.names = sortedNames(g.installed)
	for _, r := range roots {
		part, text, _ := strings.Cut(r, " ")
		if part == "-" {
			part = ""
		} else {
			part = "group " + part
		}
		g.roots = append(g.roots, need("", parse(text), part))
	}
	g.addNeeds(func(r requirement.Requirement, extras []string) bool {
		return r.Marker.Holds(here.Environment(), extras...)
	})
	return g
}

func chainText(chains []Chain) []string {
	var out []string
	for _, c := range chains {
		var names []string
		for _, n := range c {
			names = append(names, n.To)
		}
		out = append(out, strings.Join(names, " "))
	}
	return out
}

func TestGraph(t *testing.T) {
	g := orchard(t, []string{"- press[full]", "test survey>=1"},
		"press 2.0: sugar, core>=1, yeast; extra == 'full', press[fun]; extra == 'full', bees; extra == 'fun', win; sys_platform == 'win32'",
		"sugar 1.0: core", "survey 1.2: core<3, press", "core 2.0: ", "yeast 1: sugar", "bees 1: survey", "alone 1: ")
	chains, more := g.chains("core")
	assert.False(t, more)
	assert.Equal(t, []string{"press core", "survey core", "press sugar core", "survey press core", "press yeast sugar core", "press bees survey core", "survey press sugar core",
		"survey press yeast sugar core"}, chainText(chains), "the shortest first, no circle twice")
	assert.Equal(t, ">=1", chains[0][1].Range)
	none, _ := g.chains("alone")
	assert.Empty(t, none)
	assert.NotContains(t, g.by, "win", "a need for another system counts for nothing")
	assert.Contains(t, g.by["bees"], "press", "an extra may ask for another of the same")
	assert.Equal(t, []string{"bees", "core", "press", "sugar", "survey", "yeast"}, sortedNames(g.reach("press")))
	parts := g.parts()
	assert.Equal(t, []string{"dependencies", "group test"}, parts["core"])
	assert.Empty(t, parts["alone"])
	require.Error(t, g.only("tset"))
	require.NoError(t, g.only("test"))
	assert.NotContains(t, g.names, "alone")
	text, base := g.version("core")
	assert.Equal(t, []any{"2.0", false}, []any{text, base})
	g.base["seen"] = catalog.Present{Version: version.MustParse("3")}
	text, base = g.version("seen")
	assert.Equal(t, []any{"3", true}, []any{text, base})
	assert.True(t, chains[0][1].admits(g))
	assert.False(t, need("", mustRequire("core>2"), "").admits(g))
}

func mustRequire(text string) requirement.Requirement {
	r, err := requirement.Parse(text)
	if err != nil {
		panic(err)
	}
	return r
}

// Chains multiply: their number is bounded, and that there are more is said.
func TestChainsAreBounded(t *testing.T) {
	var lines []string
	for i := range 9 {
		var needs []string
		for k := i + 1; k < 10; k++ {
			needs = append(needs, fmt.Sprintf("n%d", k))
		}
		lines = append(lines, fmt.Sprintf("n%d 1: %s", i, strings.Join(needs, ",")))
	}
	g := orchard(t, []string{"- n0"}, append(lines, "n9 1:")...)
	chains, more := g.chains("n9")
	assert.Len(t, chains, maxChains)
	assert.True(t, more)
	assert.Equal(t, "n0 n9", chainText(chains)[0])
}

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
	names := func(list []Item) string {
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
	selected, err := momentSelection(jar.Moment{Packages: []jar.MomentPackage{
		{Name: "b", Version: "1.0", File: "b-1.0-py3-none-any.whl", SHA256: "ab", URL: "sample:b-1.0-py3-none-any.whl", Index: "sample"},
		{Name: "a", Version: "2.0", File: "a-2.0-py3-none-any.whl", SHA256: "cd", URL: "file:///x/a-2.0-py3-none-any.whl", Index: "x", Direct: true, Requested: true}}})
	require.NoError(t, err)
	assert.Equal(t, "a", selected[0].name)
	assert.True(t, selected[0].asked)
	assert.Empty(t, selected[0].file.Index, "what was named by its address is of no index")
	assert.NotNil(t, selected[1].file.Wheel)
	_, err = momentSelection(jar.Moment{Packages: []jar.MomentPackage{{Name: "a", Version: "no version"}}})
	assert.Error(t, err)
}
