package project

import (
	"bytes"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
)

// mark is the byte order mark that some editors put before a text.
var mark = []byte("\uFEFF")

// plain is a text without its byte order mark, which TOML does not know; all else
// keeps its place.
func plain(text []byte) []byte {
	if !bytes.HasPrefix(text, mark) {
		return text
	}
	return append([]byte("   "), text[len(mark):]...)
}

// walkKeys calls visit for each key of a text with its whole path.
func walkKeys(text []byte, visit func(path []string, keyEnd int, value *unstable.Node) bool) {
	var p unstable.Parser
	p.Reset(plain(text))
	var table []string
	for p.NextExpression() {
		e := p.Expression()
		switch e.Kind {
		case unstable.Table, unstable.ArrayTable:
			table = keyParts(e.Key())
		case unstable.KeyValue:
			path := append(append([]string(nil), table...), keyParts(e.Key())...)
			keyEnd, it := 0, e.Key()
			for it.Next() {
				keyEnd = int(it.Node().Raw.Offset + it.Node().Raw.Length)
			}
			if visit(path, keyEnd, e.Value()) {
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
	start, end int // of the line that it stands on, its line end included
}

// tables are the heads that a text has, in order. What stands in strings is none.
func tables(text []byte) []table {
	var p unstable.Parser
	p.Reset(plain(text))
	var out []table
	for p.NextExpression() {
		e := p.Expression()
		if e.Kind != unstable.Table && e.Kind != unstable.ArrayTable {
			continue
		}
		it := e.Key()
		it.Next()
		at := int(it.Node().Raw.Offset)
		t := table{path: keyParts(e.Key()), start: bytes.LastIndexByte(text[:at], '\n') + 1, end: len(text)}
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

// endOfTable is where a line can be added to a table: after its last one that is not
// empty. No path is the keys before all tables.
func endOfTable(text []byte, path []string) (int, bool) {
	heads := tables(text)
	from, to := 0, 0
	if bytes.HasPrefix(text, mark) {
		from = len(mark)
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

// addLine adds a line to the end of a table that is there.
func addLine(text []byte, path []string, line string) []byte {
	at, _ := endOfTable(text, path)
	line += "\n"
	if at > 0 && text[at-1] != '\n' && !bytes.Equal(text[:at], mark) {
		line = "\n" + line
	}
	if len(path) == 0 && at < len(text) && bytes.HasPrefix(bytes.TrimLeft(text[at:], " \t"), []byte("[")) {
		line += "\n"
	}
	return splice(text, at, at, line)
}

// addTable adds a table to the end of a text.
func addTable(text []byte, head string, lines ...string) []byte {
	var b bytes.Buffer
	b.Write(text)
	if len(text) > 0 && !bytes.Equal(text, mark) {
		if text[len(text)-1] != '\n' {
			b.WriteByte('\n')
		}
		b.WriteByte('\n')
	}
	b.WriteString(head + "\n" + strings.Join(lines, "\n") + "\n")
	return b.Bytes()
}

// hasDotted reports whether a text writes keys of a table as "table.key" before all
// tables.
func hasDotted(text []byte, table []string) bool {
	found := false
	walkKeys(text, func(have []string, keyEnd int, _ *unstable.Node) bool {
		heads := tables(text)
		if len(heads) > 0 && keyEnd > heads[0].start {
			return true
		}
		found = len(have) > len(table) && equalPath(have[:len(table)], table)
		return found
	})
	return found
}
