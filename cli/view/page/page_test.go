package page

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"glassjar/core/graph"
	"glassjar/core/operation"
)

func report(needs ...string) *operation.Report {
	r := &operation.Report{Name: "press <house>", Python: "CPython 3.12.1", OS: "linux", Label: "ab", Step: operation.InStep}
	seen := map[string]bool{}
	add := func(name string, size int64) {
		if !seen[name] && name != "lost" {
			seen[name] = true
			r.Packages = append(r.Packages, operation.ReportPackage{Entry: operation.Entry{Name: name, Version: "1.0", Size: size, Summary: "a & b"}, License: "MIT\nlong text"})
		}
	}
	for i, n := range needs {
		from, to, _ := strings.Cut(n, ">")
		add(from, int64(1000*(i+1)))
		add(to, 10)
		r.Needs = append(r.Needs, graph.Need{From: from, To: to, Range: ">=1"})
	}
	return r
}

// Each package stands right of all that need it, also where needs go in a circle.
func TestColumns(t *testing.T) {
	for _, c := range []struct {
		needs []string
		want  string
	}{
		{[]string{"a>b", "b>c", "a>c"}, "a | b | c"},
		{[]string{"a>b", "b>a"}, "a | b"},
		{[]string{"a>c", "b>c", "c>d", "b>d"}, "a b | c | d"},
		{[]string{"a>lost"}, "a | lost"},
	} {
		r := report(c.needs...)
		needs := map[string][]graph.Need{}
		for _, n := range r.Needs {
			needs[n.From] = append(needs[n.From], n)
		}
		r.Roots = []graph.Need{{To: "a"}}
		var out []string
		for _, column := range columnsOf(r, needs) {
			out = append(out, strings.Join(column, " "))
		}
		assert.Equal(t, c.want, strings.Join(out, " | "))
	}
}

// No box lies over another, and all are within the picture.
func TestBoxesDoNotOverlap(t *testing.T) {
	var needs []string
	for i := range 30 {
		needs = append(needs, fmt.Sprintf("n%02d>n%02d", i/3, i+1), fmt.Sprintf("n%02d>n%02d", i/7, i+1))
	}
	m := drawMap(report(needs...))
	require.NotEmpty(t, m.Boxes)
	for i, a := range m.Boxes {
		assert.LessOrEqual(t, a.X+a.Width, m.Width)
		assert.LessOrEqual(t, a.Y+a.Height, m.Height)
		for _, b := range m.Boxes[i+1:] {
			apart := a.X+a.Width <= b.X || b.X+b.Width <= a.X || a.Y+a.Height <= b.Y || b.Y+b.Height <= a.Y
			assert.True(t, apart, "%s and %s", a.Name, b.Name)
		}
	}
}

func TestPage(t *testing.T) {
	var b bytes.Buffer
	r := report("a>b", "b>lost")
	r.Packages = append(r.Packages, operation.ReportPackage{Entry: operation.Entry{Name: "seen", Base: true}})
	require.NoError(t, Write(&b, r, "in step", func(n int64) string { return fmt.Sprint(n) }))
	text := b.String()
	_, err := html.Parse(strings.NewReader(text))
	require.NoError(t, err)
	assert.Contains(t, text, Mark)
	assert.Contains(t, text, "press &lt;house&gt;", "names are text, not markup")
	assert.NotContains(t, text, "http://")
	assert.NotContains(t, text, "https://")
	assert.Contains(t, text, `class="missing"`)
	assert.Contains(t, text, "<dt>MIT</dt>")
	assert.Contains(t, text, "of the base")
	at := strings.Index(text, "<svg")
	end := strings.Index(text, "</svg>")
	require.Positive(t, end)
	require.NoError(t, xml.Unmarshal([]byte(text[at:end+6]), new(struct{})), "the picture is well-formed")
	var empty bytes.Buffer
	require.NoError(t, Write(&empty, &operation.Report{}, "none", func(int64) string { return "" }))
	assert.Contains(t, empty.String(), "The jar is empty")
}

func TestBars(t *testing.T) {
	var needs []string
	for i := range 25 {
		needs = append(needs, fmt.Sprintf("p%02d>q", i))
	}
	list := bars(report(needs...), func(n int64) string { return fmt.Sprint(n) })
	require.Len(t, list, maxBars+1)
	assert.Equal(t, "p24", list[0].Name)
	assert.Equal(t, "100.0", list[0].Percent)
	assert.Equal(t, "6 more", list[maxBars].Name)
	assert.Equal(t, "not stated", short(" "))
	assert.Equal(t, "Beta", mature("4 - Beta"))
	assert.Equal(t, "odd", mature("odd"))
}
