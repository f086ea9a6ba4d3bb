package page

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"glassjar/core/graph"
	"glassjar/core/operation"
	_ "glassjar/internal/long"
)

func report(needs ...string) *operation.Report {
	r := &operation.Report{Name: "press <house>", Python: "CPython 3.12.1", OS: "linux", Label: "ab", Step: operation.InStep}
	seen := map[string]bool{}
	add := func(name string, size int64) {
		if !seen[name] && name != "lost" {
			seen[name] = true
			r.Packages = append(r.Packages, operation.ReportPackage{Entry: operation.Entry{Name: name, Version: "1.0", Size: size, Summary: "a & b"}, License: "MIT"})
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

// The map has each package and each need once; what has neither stands apart.
func TestMap(t *testing.T) {
	r := report("a>b", "b>c", "a>c", "a>c", "c>a", "b>b", "a>lost")
	r.Packages = append(r.Packages, operation.ReportPackage{Entry: operation.Entry{Name: "alone"}}, operation.ReportPackage{Entry: operation.Entry{Name: "seen", Base: true}})
	r.Packages[0].Asked = true
	m := mapOf(r)
	var names, lines []string
	for _, n := range m.Nodes {
		names = append(names, n.Name)
		assert.Equal(t, n.Name == "lost", n.Missing, n.Name)
		assert.Equal(t, n.Name == "a", n.Asked, n.Name)
	}
	for _, e := range m.Edges {
		lines = append(lines, m.Nodes[e.From].Name+m.Nodes[e.To].Name)
	}
	assert.Equal(t, []string{"a", "b", "c", "lost"}, names)
	assert.Equal(t, []string{"ab", "bc", "ac", "ca", "alost"}, lines)
	assert.Equal(t, []string{"alone"}, m.Alone)
	hostile := needsMap{Nodes: []node{{Name: "</script><b>"}}}
	assert.NotContains(t, encoded(hostile), "<")
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
	assert.Equal(t, 1, strings.Count(text, "http://"), "the name of SVG, which is not asked")
	assert.NotContains(t, text, "https://")
	assert.Contains(t, text, `"name":"lost","version":"","missing":true`)
	assert.Contains(t, text, "<dt>MIT</dt>")
	assert.Contains(t, text, "of the base")
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
	assert.Equal(t, "Beta", mature("4 - Beta"))
	assert.Equal(t, "odd", mature("odd"))
}

func TestShelfPage(t *testing.T) {
	now := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	jar := func(name string, size int64, days int, holds ...operation.Held) operation.ShelfReportJar {
		return operation.ShelfReportJar{Shelved: operation.Shelved{Name: name, Jar: "/home/perry/" + name, Size: size, Shared: size / 4, Used: now.AddDate(0, 0, -days), State: operation.ShelfFine}, Holds: holds}
	}
	r := &operation.ShelfReport{Now: now, Jars: []operation.ShelfReportJar{jar("small", 100, 0, operation.Held{Name: "brixmeter", Version: "1.2"}), jar("large </script>", 400, 90, operation.Held{Name: "brixmeter", Version: "2.1"}), jar("empty", 0, 1)}}
	var b bytes.Buffer
	require.NoError(t, WriteShelf(&b, r, func(n int64) string { return fmt.Sprint(n) }))
	text := b.String()
	_, err := html.Parse(strings.NewReader(text))
	require.NoError(t, err)
	assert.Contains(t, text, Mark)
	assert.NotContains(t, text, "/home/perry", "no path of the machine is in it")
	assert.Less(t, strings.Index(text, "large &lt;/script&gt;"), strings.Index(text, ">small<"), "the largest comes first")
	assert.Contains(t, text, "width:37.5%", "three quarters of half the width")
	assert.Contains(t, text, `{"brixmeter":{"0":"2.1","1":"1.2"}}`)
	assert.Contains(t, text, "3 months ago")
	assert.Contains(t, text, "2 jars")
	for age, want := range map[time.Duration]string{time.Hour: "today", 30 * time.Hour: "yesterday", 240 * time.Hour: "10 days ago"} {
		assert.Equal(t, want, ageWords(age))
	}
	require.NoError(t, WriteShelf(&b, &operation.ShelfReport{Now: now}, func(int64) string { return "" }))
}
