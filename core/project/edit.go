package project

import (
	"bytes"
	"errors"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"

	"glassjar/core/requirement"
	"glassjar/core/tomltext"
)

// path is where the requirements of a part are written.
func (p Part) path() []string {
	switch {
	case p.Group != "":
		return []string{"dependency-groups", p.Group}
	case p.Extra != "":
		return []string{"project", "optional-dependencies", p.Extra}
	}
	return []string{"project", "dependencies"}
}

// Edit is the spec's text with requirements added, replaced and removed. One that is
// added replaces those on the same name that hold under the same marker, or all on
// that name if it has none; those that are added together stand side by side. All else, comments and order included, stays as it is.
// newName is the [project] name for a file that has no such table yet.
func (s *Spec) Edit(part Part, add []string, remove []string, newName string) ([]byte, error) {
	path := part.path()
	if len(add) > 0 && path[0] == "project" && slices.Contains(s.dynamic, path[1]) {
		return nil, &EditError{File: s.File, Dynamic: path[1]}
	}
	text := append([]byte(nil), s.Text...)
	gone := map[string]bool{}
	for _, name := range remove {
		gone[requirement.Normalize(name)] = true
	}
	if len(gone) > 0 {
		paths := [][]string{{"project", "dependencies"}}
		for _, e := range s.Extras {
			paths = append(paths, Part{Extra: e}.path())
		}
		for _, g := range s.Groups {
			paths = append(paths, Part{Group: g}.path())
		}
		for _, in := range paths {
			if at, ok := findArray(text, in); ok {
				text = at.without(text, gone)
			}
		}
	}
	if len(add) > 0 {
		var err error
		if text, err = insertInto(s.File, text, path, add, func() []byte { return s.newArray(text, path, newName) }); err != nil {
			return nil, err
		}
	}
	_, err := s.With(text)
	return text, err
}

// EditError says that a spec is not edited, though it is as it should be.
type EditError struct {
	File string
	// Inline is a table that is written as an inline one, such as "project": nothing can be added to
	// it in place. Dynamic is a key that the project's back end says (the specification of
	// pyproject.toml, "dynamic"), so that it must not be given beside that. Why tells where it is
	// neither.
	Inline, Dynamic, Why string
}

func (e *EditError) Error() string {
	switch {
	case e.Inline != "":
		return e.File + ": " + e.Inline + " is an inline table, to which nothing can be added in place"
	case e.Dynamic != "":
		return e.File + ": " + e.Dynamic + " is among the dynamic keys"
	}
	return e.File + ": " + e.Why
}

// With is the spec with a text that came of editing its own. The error is an [*EditError] where that
// does not read back.
func (s *Spec) With(text []byte) (*Spec, error) {
	out, err := ParseSpec(s.File, text)
	var fault *FileError
	if err == nil || !errors.As(err, &fault) {
		return out, err
	}
	not := &EditError{File: s.File, Why: strings.TrimPrefix(fault.Error(), s.File+": ")}
	tomltext.Walk(s.Text, func(path []string, _ int, value *unstable.Node) bool {
		name := strings.Join(path, ".")
		edited := name == "project" || name == "tool" || strings.HasPrefix(name+".", "tool.glassjar.")
		if value.Kind != unstable.InlineTable || !edited {
			return false
		}
		not.Inline = name
		return true
	})
	return nil, not
}

// insertInto adds requirements to the array to which a path leads. begin gives the text with an
// empty one.
func insertInto(file string, text []byte, path, add []string, begin func() []byte) ([]byte, error) {
	at, ok := findArray(text, path)
	if !ok {
		text = begin()
		if at, ok = findArray(text, path); !ok {
			return nil, &FileError{File: file, Where: strings.Join(path, "."), Why: "it is written in a form that cannot be edited in place"}
		}
	}
	added := map[string]bool{}
	for _, one := range add {
		r, err := requirement.Parse(one)
		if err != nil {
			return nil, err
		}
		if !added[one] {
			text = at.put(text, r, one, added)
		}
		added[one] = true
		at, _ = findArray(text, path)
	}
	return text, nil
}

// newArray writes an empty array where the path leads, in a new [project] where there is none.
func (s *Spec) newArray(text []byte, path []string, newName string) []byte {
	if path[0] == "project" && !s.Project {
		text = tomltext.AddTable(text, "[project]", "name = "+tomltext.String(newName), `version = "0.1.0"`)
	}
	return tomltext.Add(text, path, "[]")
}

// AddNames is a TOML text in which the array to which a path leads has further names, those that it
// has already left out; its comments and order stay.
func AddNames(text []byte, path, names []string) []byte {
	at, ok := findArray(text, path)
	if !ok {
		return tomltext.Set(text, path, tomltext.Strings(names))
	}
	for _, name := range names {
		if !slices.ContainsFunc(at.items, func(i item) bool { return requirement.Normalize(i.text) == requirement.Normalize(name) }) {
			text = at.addItem(text, name)
			at, _ = findArray(text, path)
		}
	}
	return text
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
	tomltext.WalkAll(text, func(have []string, keyEnd int, value *unstable.Node) bool {
		if !samePath(have, path) || value.Kind != unstable.Array {
			return false
		}
		out.open = keyEnd
		for out.open < len(text) && strings.ContainsRune(" \t=", rune(text[out.open])) {
			out.open++
		}
		at := out.open + 1
		it := value.Children()
		for it.Next() {
			n := it.Node()
			if n.Kind == unstable.Comment {
				continue
			}
			from := nextItem(text, at)
			if at = from + int(n.Raw.Length); from < len(text) && strings.IndexByte(`"'[{`, text[from]) >= 0 {
				at = tomltext.EndOfValue(text, from) // the parser has no place for tables
			}
			out.items = append(out.items, item{from, at, string(n.Data)})
		}
		out.close = nextItem(text, at)
		found = out.close < len(text) && text[out.open] == '[' && text[out.close] == ']'
		return true
	})
	return out, found
}

// nextItem is where in an array the next item begins, or the bracket behind the last one.
func nextItem(text []byte, at int) int {
	for ; at < len(text); at++ {
		switch text[at] {
		case '#':
			for at < len(text) && text[at] != '\n' {
				at++
			}
		case ' ', '\t', '\r', '\n', ',':
		default:
			return at
		}
	}
	return at
}

// put writes a requirement in the place of the one that it replaces, or adds it in the
// array's own style. keep are texts of items that stay.
func (a array) put(text []byte, want requirement.Requirement, one string, keep map[string]bool) []byte {
	var replaced []int
	for i, it := range a.items {
		r, err := requirement.Parse(it.text)
		if err == nil && r.Key() == want.Key() && !keep[it.text] && (want.Marker.IsZero() || r.Marker.String() == want.Marker.String()) {
			replaced = append(replaced, i)
		}
	}
	if len(replaced) > 0 {
		for _, i := range slices.Backward(replaced[1:]) {
			text = a.dropItem(text, i)
		}
		it := a.items[replaced[0]]
		return tomltext.Splice(text, it.start, it.end, tomltext.String(one))
	}
	return a.addItem(text, one)
}

// addItem adds an item at the end of the array, in the array's own style.
func (a array) addItem(text []byte, one string) []byte {
	if len(a.items) == 0 {
		inner := strings.TrimRight(string(text[a.open+1:a.close]), " \t")
		begin := "\n"
		if strings.HasSuffix(inner, "\n") {
			begin = "" // behind a line or a comment
		}
		at := a.open + 1 + len(inner)
		return tomltext.Splice(text, at, at, begin+"    "+tomltext.String(one)+",\n")
	}
	last := a.items[len(a.items)-1]
	if !bytes.Contains(text[a.open:a.close], []byte("\n")) {
		return tomltext.Splice(text, last.end, last.end, ", "+tomltext.String(one))
	}
	// One item a line: the new line goes after the last item's and its comma's, whose
	// comment stays with it.
	comma := a.comma(text, len(a.items)-1)
	from := max(comma, last.end)
	lineEnd := a.close
	if i := bytes.IndexByte(text[from:a.close], '\n'); i >= 0 {
		lineEnd = from + i
	} else if comma >= 0 {
		lineEnd = comma + 1
	}
	indent := "    "
	if start := bytes.LastIndexByte(text[:last.start], '\n'); start >= 0 {
		if lead := string(text[start+1 : last.start]); strings.TrimSpace(lead) == "" {
			indent = lead
		}
	}
	text = tomltext.Splice(text, lineEnd, lineEnd, "\n"+indent+tomltext.String(one)+",")
	if comma < 0 {
		text = tomltext.Splice(text, last.end, last.end, ",")
	}
	return text
}

// comma is where the comma behind an item stands, or -1: comments and lines may be between them.
func (a array) comma(text []byte, i int) int {
	for at := a.items[i].end; at < a.close; at++ {
		switch text[at] {
		case ',':
			return at
		case '#':
			for at < a.close && text[at] != '\n' {
				at++
			}
		case ' ', '\t', '\r', '\n':
		default:
			return -1 // the next item
		}
	}
	return -1
}

// without removes the items of the names given, each with its line where it
// has one of its own.
func (a array) without(text []byte, gone map[string]bool) []byte {
	for i := len(a.items) - 1; i >= 0; i-- {
		if r, err := requirement.Parse(a.items[i].text); err == nil && gone[r.Key()] {
			text = a.dropItem(text, i)
		}
	}
	return text
}

// dropItem removes an item, with its line where it has one of its own. Items before it
// keep their places.
func (a array) dropItem(text []byte, i int) []byte {
	from, to := a.items[i].start, a.items[i].end
	if comma := a.comma(text, i); comma >= 0 && len(bytes.Trim(text[to:comma], " \t")) > 0 {
		text = tomltext.Splice(text, comma, comma+1, "") // it is on another line
	}
	for to < len(text) && (text[to] == ' ' || text[to] == ',' || text[to] == '\t' || text[to] == '\r') {
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
		from = max(a.items[i-1].end, a.comma(text, i-1)) // what was said of the one before stays
	}
	return tomltext.Splice(text, from, to, "")
}
