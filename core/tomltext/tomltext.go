// Package tomltext changes TOML texts that people write: a key, a table or a line of one
// comes or goes, and every other byte stays as it is, comments and order too. Where things
// stand in a text is told by the library's parser; values are handed over as TOML writes
// them.
package tomltext

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"

	"glassjar/core/internal/lazy"
)

// Set is a TOML text in which the key that a path leads to has a value,
// given as TOML writes it. All else stays as it is, comments and order too.
func Set(text []byte, path []string, value string) []byte {
	if t, ok := inlineTable(text, path[:len(path)-1]); ok {
		return t.with(text, path[len(path)-1], value)
	}
	if from, to, ok := findValue(text, path); ok {
		return Splice(text, from, to, value)
	}
	return Add(dropTables(text, path), path, value)
}

// Add is a TOML text with a key that it does not have yet: at the end of its table, which may be an
// inline one, beside the keys of that which are written with dots, or in a new table at the end.
func Add(text []byte, path []string, value string) []byte {
	table := path[:len(path)-1]
	if t, ok := inlineTable(text, table); ok {
		return t.with(text, path[len(path)-1], value)
	}
	if _, ok := EndOfTable(text, table); ok {
		return AddLine(text, table, dotted(path[len(table):])+" = "+value)
	}
	if head, ok := dottedIn(text, table); ok {
		return AddLine(text, head, dotted(path[len(head):])+" = "+value)
	}
	return AddTable(text, "["+dotted(table)+"]", dotted(path[len(table):])+" = "+value)
}

// Get is the value of a key as the text writes it; false if there is none.
func Get(text []byte, path []string) (string, bool) {
	from, to, ok := findValue(text, path)
	if !ok {
		return "", false
	}
	return string(text[from:to]), true
}

// Drop is a TOML text without a key, and without the tables of that name.
func Drop(text []byte, path []string) []byte {
	if t, ok := inlineTable(text, path[:len(path)-1]); ok {
		return t.with(text, path[len(path)-1], "")
	}
	for {
		_, to, ok := findValue(text, path)
		if !ok {
			return dropTables(text, path)
		}
		start := keyStart(text, path)
		for to < len(text) && text[to] != '\n' {
			to++ // the comment beside it speaks of it
		}
		text = Splice(text, start, min(to+1, len(text)), "")
	}
}

// keyStart is where the line of a key begins.
func keyStart(text []byte, path []string) int {
	at := -1
	Walk(text, func(have []string, keyEnd int, _ *unstable.Node) bool {
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
	Walk(text, func(have []string, keyEnd int, _ *unstable.Node) bool {
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
		to, ok = EndOfValue(text, from), true
		return true
	})
	return from, to, ok
}

// EndOfValue is where the value that begins at a place ends: brackets are balanced outside of
// strings and comments.
func EndOfValue(text []byte, at int) int {
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
			text = Splice(text, t.start, nextTable(text, heads, i), "")
		}
	}
	return text
}

// HasTable reports whether a TOML text has the head of a table.
func HasTable(text []byte, path []string) bool {
	_, ok := EndOfTable(text, path)
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
		return Splice(text, start, end, "")
	}
	return text
}

// Splice is a text in which what stands between two places is replaced.
func Splice(text []byte, from, to int, with string) []byte {
	return append(append(append([]byte(nil), text[:from]...), with...), text[to:]...)
}

// Mark is the byte order mark that some editors put before a text.
var Mark = []byte("\uFEFF")

// Plain is a text without its byte order mark, which TOML does not know; all else
// keeps its place.
func Plain(text []byte) []byte {
	if !bytes.HasPrefix(text, Mark) {
		return text
	}
	return append([]byte("   "), text[len(Mark):]...)
}

// Visit is called for a key, with its whole path and where it ends; true ends the walk.
type Visit func(path []string, keyEnd int, value *unstable.Node) bool

// WalkAll is [Walk] that also visits the keys in inline tables, each after its table's.
func WalkAll(text []byte, visit Visit) {
	var within Visit
	within = func(path []string, keyEnd int, value *unstable.Node) bool {
		if visit(path, keyEnd, value) {
			return true
		}
		if value.Kind != unstable.InlineTable {
			return false
		}
		for it := value.Children(); it.Next(); {
			if e := it.Node(); e.Kind == unstable.KeyValue && visitKey(path, e, within) {
				return true
			}
		}
		return false
	}
	Walk(text, within)
}

// visitKey visits a key of a table.
func visitKey(table []string, e *unstable.Node, visit Visit) bool {
	path := append(append([]string(nil), table...), keyParts(e.Key())...)
	keyEnd, it := 0, e.Key()
	for it.Next() {
		keyEnd = int(it.Node().Raw.Offset + it.Node().Raw.Length)
	}
	return visit(path, keyEnd, e.Value())
}

// Walk calls visit for each key of a text, but for those in inline tables.
func Walk(text []byte, visit Visit) {
	var p unstable.Parser
	p.Reset(Plain(text))
	var table []string
	for p.NextExpression() {
		e := p.Expression()
		switch e.Kind {
		case unstable.Table, unstable.ArrayTable:
			table = keyParts(e.Key())
		case unstable.KeyValue:
			if visitKey(table, e, visit) {
				return
			}
		}
	}
}

func keyParts(it unstable.Iterator) []string {
	var parts []string
	for it.Next() {
		parts = append(parts, string(it.Node().Data))
	}
	return parts
}

// table is the head of a table, or of one of an array of tables.
type table struct {
	path       []string
	start, end int  // of the line that it stands on, its line end included
	array      bool // of an array of tables
}

// tables are the heads that a text has, in order. What stands in strings is none.
func tables(text []byte) []table {
	var p unstable.Parser
	p.Reset(Plain(text))
	var out []table
	for p.NextExpression() {
		e := p.Expression()
		if e.Kind != unstable.Table && e.Kind != unstable.ArrayTable {
			continue
		}
		it := e.Key()
		it.Next()
		at := int(it.Node().Raw.Offset)
		t := table{path: keyParts(e.Key()), start: bytes.LastIndexByte(text[:at], '\n') + 1, end: len(text), array: e.Kind == unstable.ArrayTable}
		if n := bytes.IndexByte(text[at:], '\n'); n >= 0 {
			t.end = at + n + 1
		}
		out = append(out, t)
	}
	return out
}

// nextTable is where what belongs to the i-th table ends: before the comment above the
// next one's head. For -1 that are the keys that belong to no table.
func nextTable(text []byte, heads []table, i int) int {
	if i+1 == len(heads) {
		return len(text)
	}
	from, at := 0, heads[i+1].start
	if i >= 0 {
		from = heads[i].end
	}
	for at > from {
		line := bytes.LastIndexByte(text[:at-1], '\n') + 1
		if !bytes.HasPrefix(bytes.TrimSpace(text[line:at]), []byte("#")) {
			break
		}
		at = line
	}
	return max(at, from)
}

// EndOfTable is where a line can be added to a table: after its last one that is not
// empty. No path is the keys before all tables.
func EndOfTable(text []byte, path []string) (int, bool) {
	heads := tables(text)
	from, to := 0, 0
	if bytes.HasPrefix(text, Mark) {
		from = len(Mark)
	}
	if len(path) == 0 {
		to = nextTable(text, heads, -1)
	} else {
		i := len(heads) - 1
		for i >= 0 && !equalPath(heads[i].path, path) {
			i--
		}
		if i < 0 {
			return 0, false
		}
		from, to = heads[i].end, nextTable(text, heads, i)
	}
	last := from + len(bytes.TrimRight(text[from:max(to, from)], " \t\r\n"))
	if last == from {
		return from, true
	}
	if n := bytes.IndexByte(text[last:], '\n'); n >= 0 {
		return last + n + 1, true
	}
	return len(text), true
}

// AddLine adds a line to the end of a table that is there.
func AddLine(text []byte, path []string, line string) []byte {
	at, _ := EndOfTable(text, path)
	line += "\n"
	if at > 0 && text[at-1] != '\n' && !bytes.Equal(text[:at], Mark) {
		line = "\n" + line
	}
	if len(path) == 0 && at < len(text) && bytes.HasPrefix(bytes.TrimLeft(text[at:], " \t"), []byte("[")) {
		line += "\n"
	}
	return Splice(text, at, at, line)
}

// AddTable adds a table to the end of a text.
func AddTable(text []byte, head string, lines ...string) []byte {
	var b bytes.Buffer
	b.Write(text)
	if len(text) > 0 && !bytes.Equal(text, Mark) {
		if text[len(text)-1] != '\n' {
			b.WriteByte('\n')
		}
		b.WriteByte('\n')
	}
	b.WriteString(head + "\n" + strings.Join(lines, "\n") + "\n")
	return b.Bytes()
}

// dottedIn finds the table under whose head keys of another one are written with dots, as in
// "glassjar.python" below [tool]; no path is the keys before all tables.
func dottedIn(text []byte, table []string) (head []string, ok bool) {
	var p unstable.Parser
	p.Reset(Plain(text))
	for p.NextExpression() {
		e := p.Expression()
		switch e.Kind {
		case unstable.Table, unstable.ArrayTable:
			head = keyParts(e.Key())
		case unstable.KeyValue:
			path := slices.Concat(head, keyParts(e.Key()))
			if len(head) < len(table) && len(path) > len(table) && equalPath(path[:len(table)], table) {
				return head, true
			}
		}
	}
	return nil, false
}

// bareKey is a key that needs no quotes.
var bareKey = lazy.Pattern(`^[A-Za-z0-9_-]+$`)

// dotted writes a path of keys.
func dotted(path []string) string {
	var parts []string
	for _, key := range path {
		if !bareKey().MatchString(key) {
			key = String(key)
		}
		parts = append(parts, key)
	}
	return strings.Join(parts, ".")
}

// String writes a text as a basic string, or a literal one where that reads better.
func String(s string) string {
	if strings.Contains(s, `"`) && !strings.ContainsAny(s, "'\n\r\t\\") {
		return "'" + s + "'"
	}
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch {
		case r == '"' || r == '\\':
			b.WriteByte('\\')
			b.WriteRune(r)
		case r == '\n':
			b.WriteString(`\n`)
		case r < ' ' || r == 0x7f:
			fmt.Fprintf(&b, `\u%04X`, r)
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// Strings is a list of strings as TOML writes it.
func Strings(list []string) string {
	parts := make([]string, len(list))
	for i, s := range list {
		parts[i] = String(s)
	}
	return "[" + strings.Join(parts, ", ") + "]"
}
