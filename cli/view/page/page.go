// Package page draws a report of a jar as one HTML file: it needs nothing else,
// asks nobody for anything, and can be printed.
package page

import (
	"cmp"
	"embed"
	"encoding/json"
	"fmt"
	"io"
	"sort"
	"strings"

	"golang.org/x/net/html"

	"glassjar/core/markup"
	"glassjar/core/operation"
)

//go:embed report.css report.js dagre.min.js shelf.js
var files embed.FS

// Mark stands in every page, so that a page can be told from other files.
const Mark = `<meta name="generator" content="glassjar report"`

type bar struct {
	Name, Size string
	// Percent is of the largest, Share of the whole.
	Percent, Share string
}

type licence struct {
	Name     string
	Packages []string
}

// maxBars is how many packages have a bar of their own.
const maxBars = 20

// Write draws a report. state says how record and jar are to each other, size how sizes
// are said.
func Write(w io.Writer, r *operation.Report, state string, size func(int64) string) error {
	return markup.Write(w, document(r.Name+": what is in the jar", el("body", head(r, state, size), el("main", contents(r, size), sizes(r, size), needs(r), licencesOf(r)), el("script", text("dagre.min.js")), el("script", text("report.js")))))
}

// text is an embedded file.
func text(name string) string {
	data, _ := files.ReadFile(name) // it is embedded above
	return string(data)
}

// document is a page with its head.
func document(title string, body *html.Node) *html.Node {
	return el("html", attr("lang", "en"),
		el("head", el("meta", attr("charset", "utf-8")), el("meta", attr("name", "viewport"), attr("content", "width=device-width, initial-scale=1")),
			el("meta", attr("name", "generator"), attr("content", "glassjar report")), el("title", title), el("style", text("report.css"))), body)
}

// encoded is data for a page's program. No text in it ends the element that it stands in: the encoder
// escapes what could.
func encoded(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // texts and numbers
	}
	return string(data)
}

// maxNeededBy is how many of those that need a package are named.
const maxNeededBy = 4

// role says why a package is there.
func role(p operation.ReportPackage) string {
	switch {
	case p.Base:
		return "of the base"
	case p.Asked:
		return "asked for"
	case len(p.NeededBy) > 0:
		if n := len(p.NeededBy) - maxNeededBy; n > 0 {
			return fmt.Sprintf("for %s and %d more", strings.Join(p.NeededBy[:maxNeededBy], ", "), n)
		}
		return "for " + strings.Join(p.NeededBy, ", ")
	}
	return "nothing needs it"
}

// licenceName is how a licence is called, or that none is.
func licenceName(p operation.ReportPackage) string { return cmp.Or(p.License, "not said") }

// mature is what a classifier states, without its number.
func mature(text string) string {
	if _, word, ok := strings.Cut(text, " - "); ok {
		return word
	}
	return text
}

func bars(r *operation.Report, size func(int64) string) []bar {
	own := make([]operation.ReportPackage, 0, len(r.Packages))
	for _, p := range r.Packages {
		if !p.Base {
			own = append(own, p)
		}
	}
	sort.SliceStable(own, func(i, j int) bool { return own[i].Size > own[j].Size })
	var out []bar
	var rest int64
	for i, p := range own {
		if i >= maxBars {
			rest += p.Size
			continue
		}
		out = append(out, newBar(p.Name, p.Size, own[0].Size, r.Size, size))
	}
	if n := len(own) - maxBars; n > 0 {
		out = append(out, newBar(fmt.Sprintf("%d more", n), rest, own[0].Size, r.Size, size))
	}
	return out
}

func newBar(name string, of, largest, whole int64, size func(int64) string) bar {
	percent := func(n int64) float64 { return 100 * float64(of) / float64(max(n, 1)) }
	return bar{Name: name, Size: size(of), Percent: fmt.Sprintf("%.1f", min(100, percent(largest))), Share: fmt.Sprintf("%.0f%%", percent(whole))}
}

func licences(r *operation.Report) []licence {
	by := map[string][]string{}
	for _, p := range r.Packages {
		by[licenceName(p)] = append(by[licenceName(p)], p.Name)
	}
	var out []licence
	for name, packages := range by {
		out = append(out, licence{name, packages})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}
