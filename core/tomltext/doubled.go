package tomltext

import (
	"bytes"

	"github.com/pelletier/go-toml/v2/unstable"
)

// span is a piece of a text.
type span struct{ from, to int }

// Doubled splits a text in which one of some tables, or a key in one of them, stands twice, which
// TOML does not allow, into the texts with the first and with the second of each. A merge line by
// line leaves such a text where both sides added the same. ok is false where nothing stands twice,
// or something more often.
func Doubled(text []byte, paths ...[]string) (first, second []byte, ok bool) {
	var without [2][]span // of the first text, and of the second
	split := func(twice []span) bool {
		if len(twice) == 2 {
			without[0], without[1] = append(without[0], twice[1]), append(without[1], twice[0])
		}
		return len(twice) <= 2
	}
	for _, path := range paths {
		whole := tableSpans(text, path)
		if !split(whole) {
			return nil, nil, false
		}
		for _, one := range whole {
			for _, twice := range keySpans(text, path, one) {
				if !split(twice) {
					return nil, nil, false
				}
			}
		}
	}
	return cut(text, without[0]), cut(text, without[1]), len(without[0]) > 0
}

// tableSpans are the tables with a path, heads included.
func tableSpans(text []byte, path []string) []span {
	var out []span
	heads := tables(text)
	for i, h := range heads {
		if !h.array && equalPath(h.path, path) {
			out = append(out, span{h.start, nextTable(text, heads, i)})
		}
	}
	return out
}

// keySpans are the lines of each key in one table with a path, by key.
func keySpans(text []byte, path []string, within span) map[string][]span {
	out := map[string][]span{}
	Walk(text, func(have []string, keyEnd int, _ *unstable.Node) bool {
		if keyEnd < within.from || keyEnd >= within.to || len(have) != len(path)+1 || !equalPath(have[:len(path)], path) {
			return false
		}
		at := keyEnd
		if n := bytes.IndexByte(text[at:], '='); n >= 0 {
			at += n + 1
		}
		for at < len(text) && (text[at] == ' ' || text[at] == '\t') {
			at++
		}
		end := EndOfValue(text, at)
		if n := bytes.IndexByte(text[end:], '\n'); n >= 0 {
			end += n + 1
		} else {
			end = len(text)
		}
		name := have[len(path)]
		out[name] = append(out[name], span{bytes.LastIndexByte(text[:keyEnd], '\n') + 1, end})
		return false
	})
	return out
}

// cut is a text without some pieces, which may lie in one another, and without the empty lines before
// one at its end.
func cut(text []byte, pieces []span) []byte {
	out := make([]byte, 0, len(text))
	for i, b := range text {
		inside := false
		for _, p := range pieces {
			inside = inside || p.from <= i && i < p.to
		}
		if !inside {
			out = append(out, b)
		}
	}
	for bytes.HasSuffix(out, []byte("\n\n")) && !bytes.HasSuffix(text, []byte("\n\n")) {
		out = out[:len(out)-1]
	}
	return out
}
