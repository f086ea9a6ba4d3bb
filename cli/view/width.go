package view

import (
	"strings"

	"github.com/rivo/uniseg"
)

// width is how many columns of a terminal a text takes: two for a wide character, one for
// what is put together from several, none for how it is coloured.
func width(text string) int { return uniseg.StringWidth(withoutStyle(text)) }

// withoutStyle is a text without what its cells' styles put around it.
func withoutStyle(text string) string {
	var plain strings.Builder
	for {
		before, styled, found := strings.Cut(text, "\x1b[")
		plain.WriteString(before)
		if !found {
			return plain.String()
		}
		_, text, _ = strings.Cut(styled, "m")
	}
}

// cut is a text's beginning, no more than some columns wide; the text has no style.
func cut(text string, columns int) string {
	return text[:len(text)-len(from(text, columns))]
}

// from is what of a text is left after the columns that cut gives.
func from(text string, columns int) string {
	state := -1
	for text != "" {
		_, rest, wide, next := uniseg.FirstGraphemeClusterInString(text, state)
		if columns -= wide; columns < 0 {
			break
		}
		text, state = rest, next
	}
	return text
}
