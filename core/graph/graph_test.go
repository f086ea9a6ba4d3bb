package graph_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/graph"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/version"
	_ "glassjar/internal/long"
)

// orchard is a graph of lines "name version: need, need"; roots are "PART need".
func orchard(t *testing.T, roots []string, lines ...string) *graph.Graph {
	var nodes []graph.Node
	var asked []graph.Root
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
		nodes = append(nodes, graph.Node{Metadata: meta, Asked: name == "left"})
	}
	for _, r := range roots {
		part, text, _ := strings.Cut(r, " ")
		root := graph.Root{Requirement: parse(text)}
		if part != "-" {
			root.Part.Group = part
		}
		asked = append(asked, root)
	}
	nodes = append(nodes, graph.Node{Metadata: metadata.Metadata{Name: "seen", Version: version.MustParse("3")}, Base: true},
		graph.Node{Metadata: metadata.Metadata{Name: "core", Version: version.MustParse("0.1")}, Base: true})
	return graph.New(nodes, asked, graph.In(requirement.Environment{"sys_platform": "linux"}))
}

func chainText(chains []graph.Chain) []string {
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
	g := orchard(t, []string{"- press[full]", "test survey>=1", "docs seen>=9"},
		"press 2.0: sugar, core>=1, yeast; extra == 'full', press[fun]; extra == 'full', bees; extra == 'fun', win; sys_platform == 'win32'",
		"sugar 1.0: core", "survey 1.2: core<3, press", "core 2.0: ", "yeast 1: sugar", "bees 1: survey", "alone 1: ", "kin 1: ", "left 1: kin")
	chains, more := g.Chains("core")
	assert.False(t, more)
	assert.Equal(t, []string{"press core", "survey core", "press sugar core", "survey press core", "press yeast sugar core", "press bees survey core", "survey press sugar core"},
		chainText(chains), "the shortest first, no circle twice; survey asks press for no extra")
	assert.Equal(t, ">=1", chains[0][1].Range)
	none, _ := g.Chains("alone")
	assert.Empty(t, none)
	assert.Empty(t, g.NeededBy("win"), "a need for another system counts for nothing")
	assert.Contains(t, g.NeededBy("bees"), "press", "an extra may ask for another of the same")
	assert.Equal(t, []string{"bees", "core", "press", "sugar", "survey", "yeast"}, slices.Sorted(maps.Keys(g.Reach("press"))))
	parts := g.Parts()
	assert.Equal(t, []string{"dependencies", "group test"}, parts["core"])
	assert.Empty(t, parts["alone"])
	assert.True(t, g.Asked("press") && g.Asked("left") && !g.Asked("core"))
	assert.Equal(t, []string{"seen"}, g.OfBase(), "one of the jar's own hides that of the base")
	for name, want := range map[string]string{"core": "2.0 false", "seen": "3 true"} {
		n, ok := g.Node(name)
		assert.True(t, ok)
		assert.Equal(t, want, fmt.Sprint(n.Version, n.Base))
	}
	for _, n := range g.Needs("survey") {
		assert.True(t, g.Met(n), n)
	}
	assert.False(t, g.Met(g.Roots()[2]), "it asks for another of the base")
	assert.Equal(t, []string{"left"}, g.WantedBy("left", nil))
	assert.Equal(t, []string{"left"}, g.WantedBy("kin", nil))
	assert.Empty(t, g.WantedBy("kin", map[string]bool{"left": true}), "what leads there goes too")
	assert.Empty(t, g.WantedBy("kin", map[string]bool{"kin": true}))

	known, ok := g.Only("tset")
	assert.False(t, ok)
	assert.Equal(t, []string{"test", "docs"}, known)
	assert.Contains(t, g.Names(), "alone")
	_, ok = g.Only("Test")
	assert.True(t, ok)
	assert.NotContains(t, g.Names(), "alone")
	assert.Contains(t, g.Names(), "bees")
}

// Where the environment is not known, markers do not count but for extras.
func TestWithoutAnEnvironment(t *testing.T) {
	r := func(text string) requirement.Requirement { return requirement.MustParse(text) }
	assert.True(t, graph.In(nil)(r("win; sys_platform == 'win32'"), nil))
	assert.False(t, graph.In(nil)(r("yeast; extra == 'full'"), []string{"full"}))
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
	chains, more := g.Chains("n9")
	assert.Len(t, chains, 200)
	assert.True(t, more)
	assert.Equal(t, "n0 n9", chainText(chains)[0])
}

// What an extra adds is there for those who ask for the extra, also by another of the same.
func TestChainsOfExtras(t *testing.T) {
	g := orchard(t, []string{"- press", "tests press[all]"}, "press 1: press[hot]; extra == 'all', juice; extra == 'hot', must", "juice 1:", "must 1:")
	for name, want := range map[string][]string{"juice": {"tests"}, "must": {"", "tests"}} {
		chains, _ := g.Chains(name)
		var from []string
		for _, c := range chains {
			from = append(from, c[0].Part.Group)
		}
		slices.Sort(from)
		assert.Equal(t, want, from, name)
	}
}
