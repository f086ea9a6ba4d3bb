package project

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"

	"glassjar/core/requirement"
)

// Place is where a requirement is written: [project] dependencies, one of its
// extras, or a group. The zero value is the first.
type Place struct{ Group, Extra string }

func (p Place) path() []string {
	switch {
	case p.Group != "":
		return []string{"dependency-groups", p.Group}
	case p.Extra != "":
		return []string{"project", "optional-dependencies", p.Extra}
	}
	return []string{"project", "dependencies"}
}

// Edit is the spec's text with requirements added, replaced (those of the same
// name) and removed. All else, comments and order included, stays as it is.
// newName is the [project] name for a file that has no such table yet.
func (s *Spec) Edit(place Place, add []string, remove []string, newName string) ([]byte, error) {
	text := append([]byte(nil), s.Text...)
	gone := map[string]bool{}
	for _, name := range remove {
		gone[requirement.Normalize(name)] = true
	}
	if len(gone) > 0 {
		paths := [][]string{{"project", "dependencies"}}
		for _, e := range s.Extras {
			paths = append(paths, Place{Extra: e}.path())
		}
		for _, g := range s.Groups {
			paths = append(paths, Place{Group: g}.path())
		}
		for _, path := range paths {
			if at, ok := findArray(text, path); ok {
				text = at.without(text, gone)
			}
		}
	}
	if len(add) > 0 {
		var err error
		if text, err = s.insert(text, place, add, newName); err != nil {
			return nil, err
		}
	}
	// What was written must read back.
	if _, err := ParseSpec(s.File, text); err != nil {
		return nil, fmt.Errorf("the spec could not be edited: %w", err)
	}
	return text, nil
}

func (s *Spec) insert(text []byte, place Place, add []string, newName string) ([]byte, error) {
	path := place.path()
	at, ok := findArray(text, path)
	if !ok {
		text = s.newArray(text, path, newName)
		if at, ok = findArray(text, path); !ok {
			return nil, &FileError{File: s.File, Where: strings.Join(path, "."), Why: "it is written in a form that cannot be edited in place"}
		}
	}
	for _, one := range add {
		r, err := requirement.Parse(one)
		if err != nil {
			return nil, err
		}
		if text, err = at.put(text, r.Key(), one); err != nil {
			return nil, err
		}
		at, _ = findArray(text, path)
	}
	return text, nil
}

// newArray writes an empty array where the path leads, at the end of its table
// or with a new table at the end of the file.
func (s *Spec) newArray(text []byte, path []string, newName string) []byte {
	table, key := strings.Join(path[:len(path)-1], "."), path[len(path)-1]
	line := key + " = []\n"
	if end, ok := endOfTable(text, path[:len(path)-1]); ok {
		return splice(text, end, end, line)
	}
	var b bytes.Buffer
	b.Write(text)
	if len(text) > 0 {
		if text[len(text)-1] != '\n' {
			b.WriteByte('\n')
		}
		b.WriteByte('\n')
	}
	if path[0] == "project" && !s.Project {
		fmt.Fprintf(&b, "[project]\nname = %s\nversion = \"0.1.0\"\n", tomlString(newName))
		if len(path) == 3 {
			b.WriteString("\n")
		}
	}
	if path[0] != "project" || s.Project || len(path) == 3 {
		fmt.Fprintf(&b, "[%s]\n", table)
	}
	b.WriteString(line)
	return b.Bytes()
}

// array is the place of an array in a text.
type array struct {
	open, close int // of the brackets
	items       []item
}

type item struct {
	start, end int // of the value
	text       string
}

// walkKeys calls visit for each key of a text with its whole path.
func walkKeys(text []byte, visit func(path []string, keyEnd int, value *unstable.Node) bool) {
	var p unstable.Parser
	p.Reset(text)
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

func samePath(have, want []string) bool {
	if len(have) != len(want) {
		return false
	}
	for i := range have {
		last := i == len(have)-1 && len(have) > 1 && (want[0] == "dependency-groups" || len(want) == 3)
		if have[i] != want[i] && !(last && requirement.Normalize(have[i]) == want[i]) {
			return false
		}
	}
	return true
}

func findArray(text []byte, path []string) (array, bool) {
	var out array
	found := false
	walkKeys(text, func(have []string, keyEnd int, value *unstable.Node) bool {
		if !samePath(have, path) || value.Kind != unstable.Array {
			return false
		}
		it := value.Children()
		for it.Next() {
			n := it.Node()
			if n.Kind == unstable.Comment {
				continue
			}
			r := n.Raw
			out.items = append(out.items, item{int(r.Offset), int(r.Offset + r.Length), string(n.Data)})
		}
		out.open, out.close = brackets(text, keyEnd, out.items)
		found = out.open >= 0
		return true
	})
	return out, found
}

// brackets finds an array's brackets: the parser gives the places of its items
// only.
func brackets(text []byte, keyEnd int, items []item) (int, int) {
	open := keyEnd
	for open < len(text) && text[open] != '[' {
		if !strings.ContainsRune(" \t=", rune(text[open])) {
			return -1, -1
		}
		open++
	}
	i := open + 1
	if n := len(items); n > 0 {
		i = items[n-1].end
	}
	for ; i < len(text); i++ {
		switch text[i] {
		case ']':
			return open, i
		case '#':
			for i < len(text) && text[i] != '\n' {
				i++
			}
		}
	}
	return -1, -1
}

// endOfTable is where a line can be added to a table: after its last key.
func endOfTable(text []byte, path []string) (int, bool) {
	header := "[" + strings.Join(path, ".") + "]"
	at := -1
	offset := 0
	inside := false
	for _, line := range bytes.SplitAfter(text, []byte("\n")) {
		trimmed := strings.TrimSpace(string(line))
		if head, _, _ := strings.Cut(trimmed, "#"); strings.HasPrefix(trimmed, "[") && strings.ReplaceAll(strings.TrimSpace(head), " ", "") == header {
			inside, at = true, offset+len(line)
		} else if inside && strings.HasPrefix(trimmed, "[") && !strings.HasPrefix(string(line), " ") && strings.Contains(trimmed, "]") && !strings.Contains(trimmed, ",") && !strings.ContainsAny(trimmed, `"'`) {
			inside = false
		} else if inside && trimmed != "" {
			at = offset + len(line)
		}
		offset += len(line)
	}
	return at, at >= 0
}

func splice(text []byte, from, to int, with string) []byte {
	return append(append(append([]byte(nil), text[:from]...), with...), text[to:]...)
}

// put replaces the item of the same name, or adds one in the array's own style.
func (a array) put(text []byte, key, one string) ([]byte, error) {
	for _, it := range a.items {
		if r, err := requirement.Parse(it.text); err == nil && r.Key() == key {
			return splice(text, it.start, it.end, tomlString(one)), nil
		}
	}
	if len(a.items) == 0 {
		return splice(text, a.close, a.close, "\n    "+tomlString(one)+",\n"), nil
	}
	last := a.items[len(a.items)-1]
	if !bytes.Contains(text[a.open:a.close], []byte("\n")) {
		return splice(text, last.end, last.end, ", "+tomlString(one)), nil
	}
	// One item a line: the new line goes after the last item's, whose comment
	// stays with it.
	tail := string(text[last.end:a.close])
	lineEnd := last.end + len(tail)
	if i := strings.IndexByte(tail, '\n'); i >= 0 {
		lineEnd = last.end + i
	}
	indent := "    "
	if start := bytes.LastIndexByte(text[:last.start], '\n'); start >= 0 {
		if lead := string(text[start+1 : last.start]); strings.TrimSpace(lead) == "" {
			indent = lead
		}
	}
	text = splice(text, lineEnd, lineEnd, "\n"+indent+tomlString(one)+",")
	if !strings.Contains(strings.SplitN(tail, "#", 2)[0], ",") {
		text = splice(text, last.end, last.end, ",")
	}
	return text, nil
}

// without removes the items of the names given, each with its line where it
// has one of its own.
func (a array) without(text []byte, gone map[string]bool) []byte {
	for i := len(a.items) - 1; i >= 0; i-- {
		it := a.items[i]
		r, err := requirement.Parse(it.text)
		if err != nil || !gone[r.Key()] {
			continue
		}
		from, to := it.start, it.end
		for to < len(text) && (text[to] == ' ' || text[to] == ',' || text[to] == '\t') {
			to++
		}
		lineStart := bytes.LastIndexByte(text[:from], '\n') + 1
		if strings.TrimSpace(string(text[lineStart:from])) == "" {
			if to < len(text) && text[to] == '#' {
				to += bytes.IndexByte(append(text[to:len(text):len(text)], '\n'), '\n')
			}
			if to < len(text) && text[to] == '\n' {
				from, to = lineStart, to+1
			}
		} else if i == len(a.items)-1 && i > 0 {
			from = a.items[i-1].end
		}
		text = splice(text, from, to, "")
	}
	return text
}

// tomlString writes a basic string, or a literal one where that reads better.
func tomlString(s string) string {
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

// EditIndexes is the spec's text with [tool.glassjar] indexes replaced by a
// list, one index a line; all else stays as it is.
func (s *Spec) EditIndexes(list []IndexEntry) ([]byte, error) {
	text := SetIndexes(s.Text, []string{"tool", "glassjar", "indexes"}, list)
	if _, err := ParseSpec(s.File, text); err != nil {
		return nil, fmt.Errorf("the spec could not be edited: %w", err)
	}
	return text, nil
}
