package project

import (
	"bytes"
	"fmt"
	"maps"
	"reflect"
	"slices"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/tomltext"
)

// Back is the text of a spec that says of what the jar is made from what an earlier text of it did:
// what is asked for, the Pythons, the targets and the like. What else stands in it is of other
// programs and of people, and stays. last is the
// text as this program knew it last: while it is that, an earlier one that differs by what it asks
// for only comes back as it was, comments and all. nil is no file, for each of them. The error is a
// [*FileError].
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

// Keys and tables in which a spec says what the jar and the record are made from. What else stands
// in [tool.glassjar], such as indexes and consents, is of the machine and its user.
var (
	decides  = [...]string{"python", "targets", "as-of", "project", "see-system", "pin-python"}
	decideIn = [...][]string{{"project", "optional-dependencies"}, {"dependency-groups"}, {"tool", "glassjar", "from-index"}, {"tool", "glassjar", "from-file"}, {"tool", "glassjar", "from-folder"}, {"tool", "glassjar", "held"}}
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
	as("project", "dependencies")
	if then != nil {
		as("project", "requires-python")
		for _, key := range decides {
			as("tool", "glassjar", key)
		}
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
	var all map[string]any
	if toml.Unmarshal(tomltext.Plain(text), &all) != nil {
		return nil
	}
	for _, key := range table {
		all, _ = all[key].(map[string]any)
	}
	return slices.Collect(maps.Keys(all))
}

// onlyAsks reports whether a spec says no more than what is asked for, and for which project.
func onlyAsks(text []byte) bool {
	rest := restOf(text)
	table, _ := rest["project"].(map[string]any)
	delete(rest, "project")
	return len(rest) == 0 && !slices.ContainsFunc(slices.Collect(maps.Keys(table)), func(key string) bool { return key != "name" && key != "version" })
}

// AskAlike reports whether two texts of a spec say the same of what the jar is made from; one that
// cannot be read says something else than any.
func AskAlike(a, b []byte) bool {
	one, err := ParseSpec("", a)
	other, err2 := ParseSpec("", b)
	return err == nil && err2 == nil && slices.Equal(one.asksOf(), other.asksOf())
}

// asksOf is what a spec lists, and what else it says of what the jar is made from, sorted: the
// project itself it holds by how that is built.
func (s *Spec) asksOf() []string {
	list := Asks(slices.DeleteFunc(slices.Clone(s.Asked), func(a Asked) bool { return a.Own }))
	t := s.Tool
	list = append(list, fmt.Sprintf("%q %q %v %q %t %t %t", s.RequiresPython, t.Python, t.Targets, t.Project, t.SeeSystem, s.SaysSeeSystem, t.PinPython), fmt.Sprint(t.AsOf, t.FromIndex, t.Held))
	slices.Sort(list)
	return list
}
