package tomltext

import (
	"bytes"
	"slices"
	"strings"
)

// A list of tables is written as an array of inline tables, one a line, or as tables with a head of
// their own ("[[a.b]]"). Each is edited as its lines: with the comments above it, and beside it.

// Element is a table of such a list: From and To are the place of its lines in the text, Begin and End
// that of the table alone.
type Element struct{ From, To, Begin, End int }

// Elements finds the tables of a list. ok is false for one that is neither there nor written in one of
// these ways.
func Elements(text []byte, path []string) (list []Element, inline, ok bool) {
	if list = blocks(text, path); len(list) > 0 {
		return list, false, true
	}
	list, ok = inlineElements(text, path)
	return list, true, ok
}

// Keys are the keys of an element, as a text by itself.
func (e Element) Keys(text []byte) []byte {
	inner := text[e.Begin:e.End]
	if inner[0] == '{' {
		return slices.Concat([]byte("x = "), inner, []byte("\n"))
	}
	_, keys, _ := bytes.Cut(inner, []byte("\n"))
	return slices.Concat([]byte("[x]\n"), keys, []byte("\n"))
}

// blocks are the elements that have heads of their own.
func blocks(text []byte, path []string) (list []Element) {
	heads := tables(text)
	for i, h := range heads {
		if !h.array || !equalPath(h.path, path) {
			continue
		}
		to := nextTable(text, heads, i)
		list = append(list, Element{nextTable(text, heads, i-1), to, h.start, h.start + len(bytes.TrimRight(text[h.start:to], " \t\r\n"))})
	}
	return list
}

// inlineElements are those of an array that has one a line.
func inlineElements(text []byte, path []string) (list []Element, ok bool) {
	at, end, ok := findValue(text, path)
	if !ok || at >= len(text) || text[at] != '[' {
		return nil, false
	}
	open := bytes.IndexByte(text[at:end], '\n')
	if open < 0 || strings.TrimSpace(withoutComment(text[at+1:at+open])) != "" {
		return nil, false
	}
	from := at + open + 1
	for line := from; line < end; {
		next := end
		if n := bytes.IndexByte(text[line:end], '\n'); n >= 0 {
			next = line + n + 1
		}
		begin := line + len(text[line:next]) - len(bytes.TrimLeft(text[line:next], " \t"))
		switch {
		case begin < end && text[begin] == '{':
			stop := EndOfValue(text, begin)
			rest := strings.TrimSpace(withoutComment(text[stop:next]))
			if stop >= next || rest != "," && rest != "" || text[next-1] != '\n' {
				return nil, false
			}
			list = append(list, Element{from, next, begin, stop})
			from = next
		case next == end:
			return list, len(list) > 0 && bytes.Equal(bytes.TrimSpace(text[line:end]), []byte("]"))
		case strings.TrimSpace(withoutComment(text[line:next])) != "":
			return nil, false
		}
		line = next
	}
	return nil, false
}

// withoutComment is a line, of which no string is a part, up to its comment.
func withoutComment(line []byte) string {
	text, _, _ := strings.Cut(string(line), "#")
	return text
}

// Arrange puts elements, given as lines, into the places of those of a list, in their order. What is
// more stands behind the last of them.
func Arrange(text []byte, list []Element, lines []string) []byte {
	var b bytes.Buffer
	at := 0
	for i, e := range list {
		b.Write(text[at:e.From])
		at = e.To
		if i < len(lines) {
			b.WriteString(lines[i])
		}
		if i == len(list)-1 && len(lines) > len(list) {
			b.WriteString(strings.Join(lines[len(list):], ""))
		}
	}
	b.Write(text[at:])
	return b.Bytes()
}
