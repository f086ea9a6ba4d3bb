// Package markup writes pages of HTML that are built as trees. Every text and every
// attribute is escaped; scripts and styles, which a page of our own brings, are not.
package markup

import (
	"io"

	"golang.org/x/net/html"
)

// Attr is an attribute of an element.
type Attr struct{ Key, Value string }

// Element makes an element. Its parts are attributes ([Attr]), text (string), elements
// and lists of them; nil is passed over.
func Element(tag string, parts ...any) *html.Node {
	n := &html.Node{Type: html.ElementNode, Data: tag}
	for _, part := range parts {
		switch part := part.(type) {
		case Attr:
			n.Attr = append(n.Attr, html.Attribute{Key: part.Key, Val: part.Value})
		case string:
			n.AppendChild(&html.Node{Type: html.TextNode, Data: part})
		case *html.Node:
			if part != nil {
				n.AppendChild(part)
			}
		case []*html.Node:
			for _, one := range part {
				n.AppendChild(one)
			}
		case nil:
		default:
			panic("markup: a part of an element is of another type") // a mistake in this program
		}
	}
	return n
}

// Each makes an element of each of a list.
func Each[T any](list []T, element func(T) *html.Node) []*html.Node {
	var out []*html.Node
	for _, one := range list {
		out = append(out, element(one))
	}
	return out
}

// Write writes a page; root is its html element.
func Write(w io.Writer, root *html.Node) error {
	page := &html.Node{Type: html.DocumentNode}
	page.AppendChild(&html.Node{Type: html.DoctypeNode, Data: "html"})
	page.AppendChild(root)
	return html.Render(w, page)
}
