package project

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/tomltext"
)

// EditIndexes is the spec's text with [tool.glassjar] indexes replaced by a
// list; all else stays as it is, comments on those that stay too.
func (s *Spec) EditIndexes(list []IndexEntry) ([]byte, error) {
	text := SetIndexes(s.Text, []string{"tool", "glassjar", "indexes"}, list)
	_, err := s.With(text)
	return text, err
}

// SetIndexes is a TOML text in which a key has a list of indexes as its value. Those that it has
// already keep their lines, and what is said of them there.
func SetIndexes(text []byte, path []string, list []IndexEntry) []byte {
	have, inline, ok := tomltext.Elements(text, path)
	if !ok || len(list) == 0 {
		return tomltext.Set(text, path, indexList(list))
	}
	write := inlineIndex
	if !inline {
		write = func(e IndexEntry) string { return blockIndex(path, e) }
	}
	there := map[string]tomltext.Element{}
	was := map[string]IndexEntry{}
	for _, e := range have {
		var read struct{ X IndexEntry }
		if toml.Unmarshal(e.Keys(text), &read) != nil {
			return tomltext.Set(text, path, indexList(list))
		}
		there[read.X.Name], was[read.X.Name] = e, read.X
	}
	var lines []string
	for _, e := range list {
		at, ok := there[e.Name]
		if !ok {
			lines = append(lines, freshIndex(text, have[0], inline, write(e)))
			continue
		}
		before, table, after := string(text[at.From:at.Begin]), string(text[at.Begin:at.End]), string(text[at.End:at.To])
		if was[e.Name] != e {
			table = write(e)
		}
		if inline && !strings.HasPrefix(strings.TrimLeft(after, " \t"), ",") {
			after = "," + after
		}
		lines = append(lines, before+table+after)
	}
	if !inline {
		apart(text, have, lines)
	}
	return tomltext.Arrange(text, have, lines)
}

// apart has tables stand apart as those did whose places they take.
func apart(text []byte, have []tomltext.Element, lines []string) {
	for i, l := range lines {
		place := text[have[min(i, len(have)-1)].From:have[min(i, len(have)-1)].To]
		lead := place[:len(place)-len(bytes.TrimLeft(place, "\r\n"))]
		trail := place[len(bytes.TrimRight(place, " \t\r\n")):]
		if len(trail) == 0 {
			trail = []byte("\n")
		}
		if i >= len(have) {
			lead = nil
			if bytes.Count(trail, []byte("\n")) < 2 {
				lead = []byte("\n")
			}
		}
		lines[i] = string(lead) + strings.Trim(l, "\r\n") + string(trail)
	}
}

// freshIndex are the lines of one that is new, as those that are there are written.
func freshIndex(text []byte, first tomltext.Element, inline bool, table string) string {
	if !inline {
		return table
	}
	indent := text[bytes.LastIndexByte(text[:first.Begin], '\n')+1 : first.Begin]
	return string(indent) + table + ",\n"
}

// inlineIndex is an index as an inline table, blockIndex one with a head of its own.
func inlineIndex(e IndexEntry) string {
	text := fmt.Sprintf("{ name = %s, at = %s", tomltext.String(e.Name), tomltext.String(e.At))
	if e.Holds != "" {
		text += ", holds = " + tomltext.String(e.Holds)
	}
	return text + " }"
}

func blockIndex(path []string, e IndexEntry) string {
	text := fmt.Sprintf("[[%s]]\nname = %s\nat = %s", strings.Join(path, "."), tomltext.String(e.Name), tomltext.String(e.At))
	if e.Holds != "" {
		text += "\nholds = " + tomltext.String(e.Holds)
	}
	return text
}

// indexList is a list of indexes as TOML writes it, one a line.
func indexList(list []IndexEntry) string {
	var b strings.Builder
	b.WriteString("[")
	for _, e := range list {
		b.WriteString("\n    " + inlineIndex(e) + ",")
	}
	if len(list) > 0 {
		b.WriteString("\n")
	}
	return b.String() + "]"
}
