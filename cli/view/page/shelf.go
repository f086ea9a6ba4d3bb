package page

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"golang.org/x/net/html"

	"glassjar/core/markup"
	"glassjar/core/operation"
)

// WriteShelf draws a page of all jars. size is how sizes are said.
func WriteShelf(w io.Writer, r *operation.ShelfReport, size func(int64) string) error {
	return markup.Write(w, document("All jars", el("body", shelfHead(r, size), el("main", shelfJars(r, size), everywhere(r)), el("script", text("shelf.js")))))
}

func shelfHead(r *operation.ShelfReport, size func(int64) string) *html.Node {
	var all, shared int64
	names := map[string]bool{}
	for _, j := range r.Jars {
		all, shared = all+j.Size, shared+j.Shared
		for _, h := range j.Holds {
			names[h.Name] = true
		}
	}
	fact := func(label string, parts ...any) *html.Node { return el("div", el("dt", label), el("dd", parts...)) }
	return el("header", el("h1", "All jars"), el("dl", class("head"), fact("On this machine", fmt.Sprintf("%d jars", len(r.Jars))), fact("Packages", fmt.Sprintf("%d different ones", len(names))),
		fact("Size", size(all)), fact("Of that shared", size(shared)), fact("Looked at", r.Now.Format("2006-01-02 15:04")+" UTC")))
}

// kindOf is where a jar belongs.
func kindOf(j operation.Shelved) string {
	switch {
	case j.OnShelf:
		return "shelf"
	case j.OfScripts:
		return "script"
	case j.InProject:
		return "project"
	}
	return "alone"
}

// shelfJars is a line for each jar, the largest first: how much it takes, how much of that others have
// too, and when it was last used.
func shelfJars(r *operation.ShelfReport, size func(int64) string) *html.Node {
	list := slices.Clone(r.Jars)
	slices.SortStableFunc(list, func(a, b operation.ShelfReportJar) int { return cmp.Compare(b.Size, a.Size) })
	largest, oldest := int64(1), time.Hour
	for _, j := range list {
		largest = max(largest, j.Size)
		oldest = max(oldest, r.Now.Sub(j.Used))
	}
	rows := markup.Each(list, func(j operation.ShelfReportJar) *html.Node {
		held := []string{j.Name}
		for _, h := range j.Holds {
			held = append(held, h.Name)
		}
		// By the root of its size, so that small ones beside large ones can be seen.
		whole := math.Sqrt(float64(j.Size) / float64(largest))
		width := func(n int64) string { return fmt.Sprintf("width:%.1f%%", 100*whole*float64(n)/float64(max(j.Size, 1))) }
		state := el("span", j.State)
		if j.State != operation.ShelfFine {
			state = el("span", class("warn"), j.State)
		}
		return el("li", attr("data-text", strings.Join(held, " ")),
			el("span", class("name"), j.Name, el("small", kindOf(j.Shelved)+", "+j.Python)),
			el("span", class("track"), attr("title", size(j.Size)+", "+size(j.Shared)+" of it shared"), el("i", attr("style", width(j.Size-j.Shared))), el("i", class("shared"), attr("style", width(j.Shared)))),
			el("span", class("size"), size(j.Size)),
			el("span", class("age"), attr("title", "last used "+j.Used.Format(time.DateOnly)), el("i", attr("style", fmt.Sprintf("left:%.1f%%", 100*agePlace(r.Now.Sub(j.Used), oldest))))),
			el("span", class("used"), ageWords(r.Now.Sub(j.Used)), el("small", state)),
			el("span", class("hits")))
	})
	find := el("label", "Find a jar, or a package in all of them ", el("input", attr("id", "find"), attr("type", "search"), attr("autocomplete", "off")))
	legend := el("p", class("legend"), el("i", class("own")), " its own ", el("i", class("shared")), " shared with others; bars grow with the root of the size; the dot: used today at the left, longest ago at the right")
	versions := map[string]map[string]string{}
	for i, j := range list {
		for _, h := range j.Holds {
			if versions[h.Name] == nil {
				versions[h.Name] = map[string]string{}
			}
			versions[h.Name][fmt.Sprint(i)] = h.Version
		}
	}
	return el("section", el("h2", "Jars"), el("p", class("tools"), find, " ", el("span", attr("id", "count"))), legend, el("ol", class("jars"), attr("id", "jars"), rows),
		el("script", attr("type", "application/json"), attr("id", "held"), encoded(versions)))
}

// agePlace is where an age stands between now and the oldest, from 0 to 1: days count more near now.
func agePlace(age, oldest time.Duration) float64 {
	scale := func(d time.Duration) float64 { return math.Log1p(max(0, d.Hours())) }
	return scale(age) / max(scale(oldest), 1e-9)
}

// ageWords says how long ago something was.
func ageWords(d time.Duration) string {
	switch days := int(d.Hours() / 24); {
	case days < 1:
		return "today"
	case days == 1:
		return "yesterday"
	case days < 60:
		return fmt.Sprintf("%d days ago", days)
	default:
		return fmt.Sprintf("%d months ago", days/30)
	}
}

// maxEverywhere is how many packages have a line in the picture of what is in most jars.
const maxEverywhere = 24

// everywhere shows the packages that most jars have, with a square for each jar that has one, and how
// many versions of it there are.
func everywhere(r *operation.ShelfReport) *html.Node {
	type one struct {
		name     string
		jars     int
		versions map[string]int
	}
	by := map[string]*one{}
	for _, j := range r.Jars {
		for _, h := range j.Holds {
			if by[h.Name] == nil {
				by[h.Name] = &one{name: h.Name, versions: map[string]int{}}
			}
			by[h.Name].jars++
			by[h.Name].versions[h.Version]++
		}
	}
	var list []*one
	for _, o := range by {
		if o.jars > 1 {
			list = append(list, o)
		}
	}
	if len(list) == 0 {
		return nil
	}
	slices.SortFunc(list, func(a, b *one) int { return cmp.Or(cmp.Compare(b.jars, a.jars), strings.Compare(a.name, b.name)) })
	list = list[:min(len(list), maxEverywhere)]
	return el("section", el("h2", "In several jars"), el("p", class("hint"), "One colour is one version."), el("ol", class("everywhere"), markup.Each(list, func(o *one) *html.Node {
		var kinds []string
		for v := range o.versions {
			kinds = append(kinds, v)
		}
		slices.SortFunc(kinds, func(a, b string) int { return cmp.Or(cmp.Compare(o.versions[b], o.versions[a]), strings.Compare(a, b)) })
		var parts []*html.Node
		for i, v := range kinds {
			parts = append(parts, el("i", class(fmt.Sprintf("v%d", min(i, 4))), attr("title", v+" in "+fmt.Sprint(o.versions[v])), attr("style", fmt.Sprintf("width:%.2f%%", 100*float64(o.versions[v])/float64(list[0].jars)))))
		}
		return el("li", el("span", class("name"), o.name), el("span", class("track"), parts), el("span", class("size"), fmt.Sprintf("%d jars", o.jars)), el("span", class("share"), strings.Join(kinds[:min(3, len(kinds))], ", ")))
	})))
}
