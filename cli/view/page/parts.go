package page

import (
	"fmt"
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
		licence := el("td", licenceName(p))
		if p.Refused {
			licence = el("td", class("bad"), licenceName(p)+", which the spec does not allow")
		}
		if p.Maturity != "" {
			licence.AppendChild(el("span", mature(p.Maturity)))
		}
		name := el("td", class("name"), el("button", attr("type", "button"), attr("data-focus", p.Name), p.Name), el("span", p.Summary))
		if len(p.Faults) > 0 {
			name.AppendChild(el("span", class("bad"), "known fault: "+strings.Join(p.Faults, ", ")))
		}
		return el("tr", attr("data-text", p.Name+" "+p.Summary+" "+licenceName(p)), name, el("td", p.Version), el("td", class("size"), own), el("td", el("span", class("by"), role(p))), licence)
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

// needs is the map of what needs what, and what stands apart from it.
func needs(r *operation.Report) *html.Node {
	m := mapOf(r)
	var apart, drawn *html.Node
	if len(m.Alone) > 0 {
		apart = el("p", class("alone"), el("span", class("hint"), "Needing nothing, and needed by nothing: "), strings.Join(m.Alone, ", "))
	}
	if len(m.Nodes) == 0 && apart == nil {
		return nil
	}
	section := el("section", attr("id", "needs"), el("h2", "Needs"))
	if len(m.Nodes) > 0 {
		section.AppendChild(el("p", class("hint"), "Lines lead from a package to what it needs; one that a longer chain implies is left out. Choose one, here or in the table, to see its chains alone; Escape leads back, arrows move."))
		section.AppendChild(el("p", class("tools"), el("button", attr("id", "all"), attr("type", "button"), attr("hidden", ""), "All packages"), el("span", attr("id", "chain"), attr("aria-live", "polite"))))
		drawn = el("div", class("map"), attr("id", "map"), "What needs what is drawn by the page's own program, which is not running.")
		section.AppendChild(drawn)
		section.AppendChild(el("script", attr("type", "application/json"), attr("id", "graph"), encoded(m)))
	}
	if apart != nil {
		section.AppendChild(apart)
	}
	return section
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
