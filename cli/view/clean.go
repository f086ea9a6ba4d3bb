package view

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// foreign reports whether a character does something to a terminal, or to how what
// stands around it reads: control characters, also those of one byte past ASCII, and
// those that turn the direction of a text or take no room in it.
func foreign(r rune) bool {
	return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) || r == '\u2028' || r == '\u2029' || r == utf8.RuneError
}

// Clean is a text that may come from anywhere, from a package, a server, a folder's
// name, as it can be shown: what is foreign in it is a "?", a tab four blanks, a line
// end one.
func Clean(text string) string {
	if !strings.ContainsFunc(text, foreign) {
		return text
	}
	var b strings.Builder
	for _, r := range text {
		switch {
		case r == '\t':
			b.WriteString("    ")
		case r == '\n':
			b.WriteByte(' ')
		case foreign(r):
			b.WriteByte('?')
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// cleanLines is the same for a text of several lines.
func cleanLines(text string) string {
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		lines[i] = Clean(l)
	}
	return strings.Join(lines, "\n")
}

// maxReason is how much of one reason of an error is shown, in characters: what a
// server sends can be long.
const maxReason = 600

func cleanReason(text string) string {
	text = Clean(text)
	if r := []rune(text); len(r) > maxReason {
		return string(r[:maxReason]) + "..."
	}
	return text
}

// cleanJSON writes what is foreign in a JSON text as JSON writes it: "\u009b".
func cleanJSON(text []byte) []byte {
	if !strings.ContainsFunc(string(text), func(r rune) bool { return r != '\n' && foreign(r) }) {
		return text
	}
	var b strings.Builder
	for _, r := range string(text) {
		if r != '\n' && foreign(r) {
			if r > 0xffff {
				r1, r2 := (r-0x10000)>>10+0xd800, (r-0x10000)&0x3ff+0xdc00
				fmt.Fprintf(&b, `\u%04x\u%04x`, r1, r2)
				continue
			}
			fmt.Fprintf(&b, `\u%04x`, r)
			continue
		}
		b.WriteRune(r)
	}
	return []byte(b.String())
}
