package project_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
)

// layout writes a list of requirements as TOML lets people write one: blanks, line ends and comments
// anywhere between items and commas. Comments are named after the item before them.
func layout(random *rand.Rand, names []string) string {
	space := func(of string) string {
		var b strings.Builder
		for range random.IntN(3) {
			b.WriteString([]string{" ", "\n", "  ", "\n\n", "# " + of + "\n", "\t"}[random.IntN(6)])
		}
		return b.String()
	}
	var b strings.Builder
	b.WriteString("[" + space("head"))
	for i, name := range names {
		quote := []string{"'", `"`, "'''", `"""`}[random.IntN(4)]
		if strings.HasPrefix(name, "{") {
			quote = ""
		}
		b.WriteString(quote + name + quote + space(name))
		if i < len(names)-1 || random.IntN(2) == 0 {
			b.WriteString("," + space("after"))
		}
	}
	return b.String() + "]"
}

func TestAddNames(t *testing.T) {
	path := []string{"tool", "glassjar", "build-consent"}
	for text, want := range map[string]string{
		"": "[tool.glassjar]\nbuild-consent = [\"cider\", \"perry\"]\n",
		"[tool.glassjar]\nbuild-consent = [ # who may\n  \"Perry\", # old\n]\n": "[tool.glassjar]\nbuild-consent = [ # who may\n  \"Perry\", # old\n  \"cider\",\n]\n",
		"tool.glassjar.build-consent = ['cider']\n":                             "tool.glassjar.build-consent = ['cider', \"perry\"]\n",
	} {
		assert.Equal(t, want, string(project.AddNames([]byte(text), path, []string{"cider", "perry"})))
	}
}

// Whatever a list looks like, an edit changes what it is asked to and nothing else: what stays
// keeps its order and what is said of it.
func TestEditsOfAnyLayout(t *testing.T) {
	for seed := range uint64(3000) {
		random := rand.New(rand.NewPCG(seed, 7))
		names := []string{"apple", "pear", "quince", "plum"}[:random.IntN(5)]
		want := slices.Clone(names)
		part, head := project.Part{}, "[project]\nname = 'x'\ndependencies = "
		if random.IntN(2) == 0 {
			part, head = project.Part{Group: "mine"}, "[dependency-groups]\nother = []\nmine = "
			names = slices.Insert(slices.Clone(names), random.IntN(len(names)+1), "{ include-group = 'other' }")
		}
		text := head + layout(random, names) + " # end\n[tool.x]\na = 1 # tail\n"
		names = want
		var drop []string
		if len(names) > 0 && random.IntN(3) > 0 {
			drop = []string{names[random.IntN(len(names))]}
			want = slices.DeleteFunc(want, func(n string) bool { return n == drop[0] })
		}
		var add []string
		if random.IntN(3) > 0 {
			add = []string{"medlar"}
			want = append(want, "medlar")
		}
		edited, err := spec(t, text).Edit(part, add, drop, "x")
		what := fmt.Sprintf("seed %d, drop %v, add %v:\n%s\n---\n%s", seed, drop, add, text, edited)
		require.NoError(t, err, what)
		var have []string
		for _, a := range spec(t, string(edited)).Asked {
			have = append(have, a.Name)
		}
		require.Equal(t, want, append([]string{}, have...), what)
		assert.Equal(t, strings.Count(text, "{ include-group = 'other' }"), strings.Count(string(edited), "{ include-group = 'other' }"), what)
		for _, said := range append(slices.Clone(want), "head", "end", "tail") {
			assert.Equal(t, strings.Count(text, "# "+said+"\n"), strings.Count(string(edited), "# "+said+"\n"), what)
		}
	}
}
