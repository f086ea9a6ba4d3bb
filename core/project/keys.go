package project

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
)

// SetKey is a TOML text in which the key that a path leads to has a value,
// given as TOML writes it. All else stays as it is, comments and order too.
func SetKey(text []byte, path []string, value string) []byte {
	if from, to, ok := findValue(text, path); ok {
		return splice(text, from, to, value)
	}
	text = dropTables(text, path)
	table, line := path[:len(path)-1], path[len(path)-1]+" = "+value
	if _, ok := endOfTable(text, table); ok {
		return addLine(text, table, line)
	}
	return addTable(text, "["+strings.Join(table, ".")+"]", line)
}

// GetKey is the value of a key as the text writes it; false if there is none.
func GetKey(text []byte, path []string) (string, bool) {
	from, to, ok := findValue(text, path)
	if !ok {
		return "", false
	}
	return string(text[from:to]), true
}

// DropKey is a TOML text without a key, and without the tables of that name.
func DropKey(text []byte, path []string) []byte {
	for {
		_, to, ok := findValue(text, path)
		if !ok {
			return dropTables(text, path)
		}
		start := keyStart(text, path)
		for to < len(text) && text[to] != '\n' {
			to++ // the comment beside it speaks of it
		}
		text = splice(text, start, min(to+1, len(text)), "")
	}
}

// keyStart is where the line of a key begins.
func keyStart(text []byte, path []string) int {
	at := -1
	walkKeys(text, func(have []string, keyEnd int, _ *unstable.Node) bool {
		if !equalPath(have, path) {
			return false
		}
		at = bytes.LastIndexByte(text[:keyEnd], '\n') + 1
		return true
	})
	return at
}

func equalPath(a, b []string) bool {
	return strings.Join(a, "\x00") == strings.Join(b, "\x00")
}

// findValue tells where a key's value stands.
func findValue(text []byte, path []string) (from, to int, ok bool) {
	walkKeys(text, func(have []string, keyEnd int, _ *unstable.Node) bool {
		if !equalPath(have, path) {
			return false
		}
		from = keyEnd
		for from < len(text) && strings.IndexByte(" \t=\"'", text[from]) >= 0 {
			if text[from] == '=' {
				for from++; from < len(text) && (text[from] == ' ' || text[from] == '\t'); from++ {
				}
				break
			}
			from++
		}
		to, ok = valueEnd(text, from), true
		return true
	})
	return from, to, ok
}

// valueEnd is where the value that begins at a place ends: brackets are
// balanced outside of strings and comments.
func valueEnd(text []byte, at int) int {
	depth := 0
	for i := at; i < len(text); i++ {
		switch c := text[i]; c {
		case '"', '\'':
			i = stringEnd(text, i) - 1
			if depth == 0 {
				return i + 1
			}
		case '[', '{':
			depth++
		case ']', '}':
			if depth--; depth == 0 {
				return i + 1
			}
		case '#':
			if depth == 0 {
				return len(bytes.TrimRight(text[:i], " \t"))
			}
			for i < len(text) && text[i] != '\n' {
				i++
			}
		case '\n':
			if depth == 0 {
				return len(bytes.TrimRight(text[:i], " \t\r"))
			}
		}
	}
	return len(text)
}

// stringEnd is where the string that begins at a quote ends.
func stringEnd(text []byte, at int) int {
	quote := text[at : at+1]
	if triple := bytes.Repeat(quote, 3); bytes.HasPrefix(text[at:], triple) {
		if n := bytes.Index(text[at+3:], triple); n >= 0 {
			return at + 3 + n + 3
		}
		return len(text)
	}
	for i := at + 1; i < len(text); i++ {
		switch {
		case text[i] == '\\' && quote[0] == '"':
			i++
		case text[i] == quote[0]:
			return i + 1
		}
	}
	return len(text)
}

// dropTables takes out the tables, and the arrays of tables, of a name.
func dropTables(text []byte, path []string) []byte {
	heads := tables(text)
	for i, t := range slices.Backward(heads) {
		if len(t.path) >= len(path) && equalPath(t.path[:len(path)], path) {
			text = splice(text, t.start, nextTable(text, heads, i), "")
		}
	}
	return text
}

// HasTable reports whether a TOML text has the head of a table.
func HasTable(text []byte, path []string) bool {
	_, ok := endOfTable(text, path)
	return ok
}

// DropEmptyTable takes out a table's head if nothing stands below it.
func DropEmptyTable(text []byte, path []string) []byte {
	heads := tables(text)
	for i, t := range heads {
		if !equalPath(t.path, path) {
			continue
		}
		start, end := t.start, nextTable(text, heads, i)
		if len(bytes.TrimSpace(text[t.end:end])) > 0 {
			return text
		}
		if end == len(text) {
			start = len(bytes.TrimRight(text[:start], " \t\r\n"))
			if start > 0 {
				start += bytes.IndexByte(text[start:], '\n') + 1
			}
		}
		return splice(text, start, end, "")
	}
	return text
}

// Text is a string as TOML writes it.
func Text(s string) string { return tomlString(s) }

// TextList is a list of strings as TOML writes it.
func TextList(list []string) string { return tomlList(list) }

// indexList is a list of indexes as TOML writes it, one a line.
func indexList(list []IndexEntry) string {
	var b strings.Builder
	b.WriteString("[")
	for _, e := range list {
		fmt.Fprintf(&b, "\n    { name = %s, at = %s },", tomlString(e.Name), tomlString(e.At))
	}
	if len(list) > 0 {
		b.WriteString("\n")
	}
	return b.String() + "]"
}

// SetIndexes is a TOML text in which a key has a list of indexes as its value.
func SetIndexes(text []byte, path []string, list []IndexEntry) []byte {
	return SetKey(text, path, indexList(list))
}
