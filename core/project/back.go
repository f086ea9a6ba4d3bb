package project

import (
	"bytes"
	"maps"
	"reflect"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/tomltext"
)

// Back is the text of a spec that says of what the jar is made from what an earlier text of it did:
// what is asked for, the Pythons, the targets and the like. What else stands in it is of other
// programs and of people, and stays. last is the text as this program knew it last: while it is
// that, an earlier one that differs by what it asks for only comes back as it was, comments and all.
// nil is no file, for each of them. The error is a [*FileError].
func Back(file string, now, last, then []byte) ([]byte, error) {
	untouched := bytes.Equal(now, last)
	if now == nil || untouched && then != nil && reflect.DeepEqual(restOf(now), restOf(then)) {
		return then, nil
	}
	for _, text := range [][]byte{now, then} {
		if _, err := ParseSpec(file, text); err != nil {
			return nil, err
		}
	}
	text, ok := asking(now, then)
	switch {
	case untouched && then == nil && onlyAsks(text):
		return nil, nil
	case ok && AskAlike(text, then):
		return text, nil
	case then == nil:
		return now, nil
	}
	return then, nil // it is written in a way that nothing here writes
}

// Keys, and tables by names that people choose, in which a spec says what the jar and the record are
// made from. What else stands in [tool.glassjar], such as indexes and consents, is of the machine and
// its user.
var (
	decides = [...][]string{{"project", "dependencies"}, {"project", "requires-python"}, {"tool", "glassjar", "python"}, {"tool", "glassjar", "targets"},
		{"tool", "glassjar", "as-of"}, {"tool", "glassjar", "project"}, {"tool", "glassjar", "see-system"}, {"tool", "glassjar", "pin-python"}}
	decideIn = [...][]string{{"project", "optional-dependencies"}, {"dependency-groups"}, {"tool", "glassjar", "from-index"},
		{"tool", "glassjar", "from-file"}, {"tool", "glassjar", "from-folder"}, {"tool", "glassjar", "held"}}
)

// asking is a text with that of another by which it says what the jar is made from. ok is false
// where that one is written in a way that is not written here.
func asking(text, then []byte) (out []byte, ok bool) {
	for _, key := range []string{"name", "version"} {
		path := []string{"project", key}
		value, had := tomltext.Get(then, path)
		if _, has := tomltext.Get(text, path); had && !has {
			text = tomltext.Set(text, path, value)
		}
	}
	ok = true
	as := func(path ...string) {
		value, had := tomltext.Get(then, path)
		switch have, has := tomltext.Get(text, path); {
		case had && !(has && have == value):
			text = tomltext.Set(text, path, value)
		case !had && slices.Contains(keysIn(then, path[:len(path)-1]), path[len(path)-1]):
			ok = false
		case !had:
			text = tomltext.Drop(text, path)
		}
	}
	for _, path := range decides {
		as(path...)
	}
	for _, table := range decideIn {
		keys := append(keysIn(text, table), keysIn(then, table)...)
		slices.Sort(keys)
		for _, key := range slices.Compact(keys) {
			as(append(slices.Clone(table), key)...)
		}
		if text = tomltext.DropEmptyTable(text, table); len(keysIn(text, table)) == 0 {
			text = tomltext.Drop(text, table) // one in braces
		}
	}
	return tomltext.DropEmptyTable(text, []string{"tool", "glassjar"}), ok
}

// keysIn are the keys of a table.
func keysIn(text []byte, table []string) []string {
	at, _ := valueAt(tablesOf(text), table).(map[string]any)
	return slices.Collect(maps.Keys(at))
}

// tablesOf is a text as its tables; nil for one that is not TOML.
func tablesOf(text []byte) (all map[string]any) {
	if toml.Unmarshal(tomltext.Plain(text), &all) != nil {
		return nil
	}
	return all
}

// valueAt is what a path of keys leads to, or nil.
func valueAt(at any, path []string) any {
	for _, key := range path {
		table, _ := at.(map[string]any)
		at = table[key]
	}
	return at
}

// onlyAsks reports whether a spec says no more than what is asked for, and for which project.
func onlyAsks(text []byte) bool {
	rest := restOf(text)
	table, _ := rest["project"].(map[string]any)
	delete(rest, "project")
	return len(rest) == 0 && !slices.ContainsFunc(slices.Collect(maps.Keys(table)), func(key string) bool { return key != "name" && key != "version" })
}

// AskAlike reports whether two texts of a spec say the same of what the jar is made from.
func AskAlike(a, b []byte) bool {
	return reflect.DeepEqual(decided(a), decided(b))
}

// decided is what a text says of what the jar is made from, without what is empty.
func decided(text []byte) map[string]any {
	all, out := tablesOf(text), map[string]any{}
	for _, path := range slices.Concat(decides[:], decideIn[:]) {
		value := valueAt(all, path)
		if v := reflect.ValueOf(value); value != nil && !((v.Kind() == reflect.Slice || v.Kind() == reflect.Map) && v.Len() == 0) {
			out[strings.Join(path, ".")] = value
		}
	}
	return out
}
