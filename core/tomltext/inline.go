package tomltext

import (
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
)

// inline is an inline table in a text: its place, and each of its keys with what is written of it, such
// as "a = 1".
type inline struct {
	from, to int
	keys     []string
	parts    []string
}

// inlineTable finds the one that is the value of a key; false for a table that is written otherwise.
func inlineTable(text []byte, path []string) (t inline, ok bool) {
	if len(path) == 0 {
		return t, false
	}
	var starts []int
	Walk(text, func(have []string, _ int, value *unstable.Node) bool {
		if !equalPath(have, path) {
			return false
		}
		if ok = value.Kind == unstable.InlineTable; ok {
			for it := value.Children(); it.Next(); {
				if e := it.Node(); e.Kind == unstable.KeyValue {
					key := e.Key()
					key.Next()
					starts = append(starts, int(key.Node().Raw.Offset))
					t.keys = append(t.keys, dotted(keyParts(e.Key())))
				}
			}
		}
		return true
	})
	if !ok {
		return t, false
	}
	t.from, t.to, _ = findValue(text, path)
	for i, start := range starts {
		end := t.to - 1
		if i+1 < len(starts) {
			end = starts[i+1]
		}
		t.parts = append(t.parts, strings.TrimRight(strings.TrimSuffix(strings.TrimSpace(string(text[start:end])), ","), " \t"))
	}
	return t, true
}

// with is the text with another value of a key, or without the key where that is empty.
func (t inline) with(text []byte, key, value string) []byte {
	parts, part := slices.Clone(t.parts), dotted([]string{key})+" = "+value
	switch i := slices.Index(t.keys, dotted([]string{key})); {
	case i < 0 && value == "":
		return text
	case i < 0:
		parts = append(parts, part)
	case value == "":
		parts = slices.Delete(parts, i, i+1)
	default:
		parts[i] = part
	}
	table := "{}"
	if len(parts) > 0 {
		table = "{ " + strings.Join(parts, ", ") + " }"
	}
	return Splice(text, t.from, t.to, table)
}
