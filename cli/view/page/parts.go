package page

import (
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"glassjar/core/markup"
	"glassjar/core/operation"
)

var el = markup.Element

func attr(key, value string) markup.Attr { return markup.Attr{Key: key, Value: value} }

func class(name string) markup.Attr { return attr("class", name) }

// head is the name of the jar and what is known of it as a whole.
func head(r *operation.Report, state string, size func(int64) string) *html.Node {
	asked, own := 0, 0
	for _, p := range r.Packages {
		if p.Asked {
			asked++
		}
		if !p.Base {
			own++
		}
	}
	kind := "warn"
	if r.Step == operation.InStep {
		kind = "good"
	}
	fact := func(label string, parts ...any) *html.Node { return el("div", el("dt", label), el("dd", parts...)) }
	list := el("dl", class("head"), fact("Python", fmt.Sprintf("%s, %s %s", r.Python, r.OS, r.Arch)), fact("Holds", fmt.Sprintf("%d packages, %d asked for", own, asked)),
		fact("Size", fmt.Sprintf("%s in %d files", size(r.Size), r.Files)), fact("Record", class(kind), state), fact("Label", el("code", r.Label)))
	if r.SeeSystem {
		list.AppendChild(fact("Sees", class("warn"), "the packages of its base as well"))
	}
	return el("header", el("h1", r.Name), list)
}

// contents is the table of packages.
func contents(r *operation.Report, size func(int64) string) *html.Node {
	rows := markup.Each(r.Packages, func(p operation.ReportPackage) *html.Node {
		own := ""
		if !p.Base {
			own = size(p.Size)
		}
		licence := el("td", short(p.License))
		if p.Maturity != "" {
			licence.AppendChild(el("span", mature(p.Maturity)))
		}
		return el("tr", attr("data-text", p.Name+" "+p.Summary+" "+short(p.License)), el("td", class("name"), p.Name, el("span", p.Summary)), el("td", p.Version),
			el("td", class("size"), own), el("td", role(p)), licence)
	})
	if len(rows) == 0 {
		rows = []*html.Node{el("tr", el("td", "The jar is empty."))}
	}
	var titles []*html.Node
	for _, title := range []string{"Package", "Version", "Size", "Why it is here", "Licence"} {
		titles = append(titles, el("th", title))
	}
	find := el("label", "Find ", el("input", attr("id", "find"), attr("type", "search"), attr("autocomplete", "off")))
	return el("section", el("h2", "Contents"), el("p", class("tools"), find, " ", el("span", attr("id", "count"))),
		el("table", el("thead", el("tr", titles)), el("tbody", attr("id", "rows"), rows)))
}

func sizes(r *operation.Report, size func(int64) string) *html.Node {
	list := bars(r, size)
	if len(list) == 0 {
		return nil
	}
	return el("section", el("h2", "Sizes"), el("ol", class("bars"), markup.Each(list, func(b bar) *html.Node {
		return el("li", el("span", class("name"), b.Name), el("span", class("track"), el("i", attr("style", "width:"+b.Percent+"%"))), el("span", class("size"), b.Size), el("span", class("share"), b.Share))
	})))
}

// needs is the map of what needs what.
func needs(r *operation.Report) *html.Node {
	m := drawMap(r)
	if len(m.Boxes) == 0 {
		return nil
	}
	width, height := strconv.Itoa(m.Width), strconv.Itoa(m.Height)
	lines := markup.Each(m.Lines, func(l line) *html.Node {
		return el("path", attr("d", l.Path), attr("data-from", l.From), attr("data-to", l.To), el("title", strings.TrimSpace(l.From+" needs "+l.To+" "+l.Range)))
	})
	boxes := markup.Each(m.Boxes, func(b box) *html.Node {
		kind, version := "", b.Version
		if b.Asked {
			kind = "asked"
		}
		if b.Missing {
			kind, version = strings.TrimSpace(kind+" missing"), "is missing"
		}
		return el("g", attr("tabindex", "0"), attr("role", "button"), attr("data-name", b.Name), class(kind), el("title", b.Name+" "+version),
			el("rect", attr("x", strconv.Itoa(b.X)), attr("y", strconv.Itoa(b.Y)), attr("width", strconv.Itoa(b.Width)), attr("height", strconv.Itoa(b.Height)), attr("rx", "4")),
			el("text", attr("x", strconv.Itoa(b.TextX)), attr("y", strconv.Itoa(b.TextY)), b.Name))
	})
	return el("section", el("h2", "Needs"), el("p", class("hint"), "Lines lead from a package to what it needs. Choose one to follow its chains."), el("p", attr("id", "chain"), attr("aria-live", "polite")),
		el("div", class("map"), el("svg", attr("id", "map"), attr("viewBox", "0 0 "+width+" "+height), attr("width", width), attr("height", height), attr("role", "group"), attr("aria-label", "What needs what"), lines, boxes)))
}

func licencesOf(r *operation.Report) *html.Node {
	list := licences(r)
	if len(list) == 0 {
		return nil
	}
	return el("section", el("h2", "Licences"), el("dl", class("licences"), markup.Each(list, func(l licence) *html.Node {
		return el("div", el("dt", l.Name), el("dd", strings.Join(l.Packages, ", ")))
	})))
}
