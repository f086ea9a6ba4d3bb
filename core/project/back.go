package project

import (
	"bytes"
	"maps"
	"reflect"
	"slices"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/tomltext"
)

// Back is the text of a spec that asks for what an earlier text of it did, of the Pythons that
// that took. What else stands in it is of other programs and of people, and stays. last is the
// text as this program knew it last: while it is that, an earlier one that differs by what it asks
// for only comes back as it was, comments and all. nil is no file, for each of them. The error is a
// [*FileError].
func Back(file string, now, last, then []byte) ([]byte, error) {
	untouched := bytes.Equal(now, last)
	switch {
	case now == nil, untouched && then != nil && reflect.DeepEqual(restOf(now), restOf(then)):
		return then, nil
	case untouched && then == nil && onlyAsks(now):
		return nil, nil
	}
	for _, text := range [][]byte{now, then} {
		if _, err := ParseSpec(file, text); err != nil {
			return nil, err
		}
	}
	text := asking(now, then)
	switch {
	case AskAlike(text, then):
		return text, nil
	case then == nil:
		return now, nil
	}
	return then, nil // it is written in a way that nothing here writes
}

// asksIn are the tables in which a spec asks for something, by names that people choose.
var asksIn = [...][]string{{"project", "optional-dependencies"}, {"dependency-groups"}, {"tool", "glassjar", "from-file"}, {"tool", "glassjar", "from-folder"}}

// asking is a text with that of another by which it asks for something.
func asking(text, then []byte) []byte {
	for _, key := range []string{"name", "version"} {
		path := []string{"project", key}
		value, had := tomltext.Get(then, path)
		if _, has := tomltext.Get(text, path); had && !has {
			text = tomltext.Set(text, path, value)
		}
	}
	if then != nil {
		text = as(text, then, []string{"project", "requires-python"})
	}
	text = as(text, then, []string{"project", "dependencies"})
	for _, table := range asksIn {
		keys := append(keysIn(text, table), keysIn(then, table)...)
		slices.Sort(keys)
		for _, key := range slices.Compact(keys) {
			text = as(text, then, append(slices.Clone(table), key))
		}
		text = tomltext.DropEmptyTable(text, table)
	}
	return text
}

// as is a text with a key as another has it, as it is written there, or without it.
func as(text, then []byte, path []string) []byte {
	value, had := tomltext.Get(then, path)
	if !had {
		return tomltext.Drop(text, path)
	}
	if have, has := tomltext.Get(text, path); has && have == value {
		return text
	}
	return tomltext.Set(text, path, value)
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

// AskAlike reports whether two texts of a spec ask for the same; one that cannot be read asks for
// something else than any.
func AskAlike(a, b []byte) bool {
	one, err := ParseSpec("", a)
	other, err2 := ParseSpec("", b)
	return err == nil && err2 == nil && slices.Equal(one.asksOf(), other.asksOf())
}

// asksOf is what a spec lists, sorted: the project itself it holds by how that is built.
func (s *Spec) asksOf() []string {
	list := Asks(slices.DeleteFunc(slices.Clone(s.Asked), func(a Asked) bool { return a.Own }))
	slices.Sort(list)
	return list
}
