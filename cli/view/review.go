package view

import (
	"fmt"
	"strings"

	"glassjar/core/operation"
)

// Markdown is a review as text for a pull request. What packages say of themselves is a
// stranger's, and stands for nothing but itself.
func Markdown(r *operation.Review) string {
	var b strings.Builder
	counts := map[string]int{}
	for _, row := range r.Rows {
		counts[row.Kind]++
	}
	var parts []string
	for _, kind := range []string{operation.RowAdded, operation.RowMoved, operation.RowFiles, operation.RowRemoved} {
		switch n := counts[kind]; {
		case n == 0:
		case kind == operation.RowFiles:
			parts = append(parts, fmt.Sprintf("%d with other files", n))
		default:
			parts = append(parts, fmt.Sprintf("%d %s", n, kind))
		}
	}
	if len(parts) == 0 {
		parts = []string{"nothing changed"}
	}
	fmt.Fprintf(&b, "**The record**: %s, %s\n", strings.Join(parts, ", "), Count(r.Same, "package")+" the same")
	if len(r.Rows) > 0 {
		b.WriteString("\n| | package | version | for | why | size | licence |\n| --- | --- | --- | --- | --- | ---: | --- |\n")
	}
	for _, row := range r.Rows {
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s | %s |\n", row.Kind, code(row.Name), versionWords(row), whereWords(row, r.Served), whyWordsOf(row), sizeWords(row), plainCell(row.License))
	}
	b.WriteString("\n")
	list := func(words string, items []string) {
		if len(items) > 0 {
			fmt.Fprintf(&b, "- %s: %s\n", words, strings.Join(items, ", "))
		}
	}
	list("asked for now", codes(r.Asked))
	list("no longer asked for", codes(r.NotAsked))
	for _, l := range r.Licenses {
		fmt.Fprintf(&b, "- a licence that is new here: %s, of %s\n", plainCell(l.License), strings.Join(codes(l.Names), ", "))
	}
	for _, w := range r.Withdrawn {
		fmt.Fprintf(&b, "- **%s**\n", plainCell(w))
	}
	fmt.Fprintf(&b, "- labels: %s of %s, %s of %s\n", code(r.ALabel), code(r.A), code(r.BLabel), code(r.B))
	return b.String()
}

func codes(list []string) (out []string) {
	for _, one := range list {
		out = append(out, code(one))
	}
	return out
}

// code is a text as it is, between backquotes.
func code(text string) string {
	if text == "" {
		return ""
	}
	return "`" + strings.NewReplacer("`", "'", "|", "\\|").Replace(Clean(text)) + "`"
}

// plainCell is a text that has no marks of markdown in it.
func plainCell(text string) string {
	var b strings.Builder
	for _, r := range Clean(text) {
		if strings.ContainsRune("\\`*_{}[]()#+!|<>~@&", r) {
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}

func versionWords(row operation.ReviewRow) string {
	switch row.Kind {
	case operation.RowRemoved:
		return row.From
	case operation.RowMoved:
		return row.From + " → " + row.Version
	}
	return row.Version
}

// whereWords are the targets of a row; the Pythons alone where it is for every system.
func whereWords(row operation.ReviewRow, served []string) string {
	switch {
	case row.Kind == operation.RowRemoved:
		return ""
	case len(row.Targets) == 0:
		return "all targets"
	}
	text := targets(row.Targets)
	systems, pythons, ok := strings.Cut(text, " with ")
	if all, _, _ := strings.Cut(targets(served), " with "); ok && systems == all {
		return pythons
	}
	return text
}

func whyWordsOf(row operation.ReviewRow) string {
	var why []string
	if row.Asked {
		why = append(why, "asked for")
	}
	if len(row.For) > 0 {
		why = append(why, "needed by "+strings.Join(codes(row.For), ", "))
	}
	return strings.Join(why, "; ")
}

func sizeWords(row operation.ReviewRow) string {
	switch {
	case row.Kind == operation.RowRemoved || row.Bytes == 0 && row.Kind == operation.RowMoved:
		return ""
	case row.Kind == operation.RowMoved && row.Bytes > 0:
		return "+" + Bytes(row.Bytes)
	case row.Bytes < 0:
		return "−" + Bytes(-row.Bytes)
	}
	return Bytes(row.Bytes)
}
