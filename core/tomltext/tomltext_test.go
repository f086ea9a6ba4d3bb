package tomltext_test

import (
	"errors"
	"testing"

	"github.com/pelletier/go-toml/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
	"glassjar/core/tomltext"
	_ "glassjar/internal/long"
)

// A key is set or taken out; every other byte stays.
func TestKeys(t *testing.T) {
	const text = "# of the press house\nstore = \"/a\" # big\n\npythons = [\n  \"/x\", # [old]\n  '/y',\n]\n\n# the indexes\n[[indexes]]\nname = \"a\"\nat = \"b\"\n\n[from-index]\ncider = \"a\"\n"
	for _, c := range []struct {
		what, text string
		path       []string
		value      string
		want       string
	}{
		{"a string", "store = \"/a\" # big\nx = 1\n", []string{"store"}, `"/b"`, "store = \"/b\" # big\nx = 1\n"},
		{"a list over several lines", "p = [\n \"#\", # ]\n]\nq = 1\n", []string{"p"}, "[]", "p = []\nq = 1\n"},
		{"a new key stands before the tables", "a = 1\n\n# of t\n[t]\nb = 2\n", []string{"c"}, "true", "a = 1\nc = true\n\n# of t\n[t]\nb = 2\n"},
		{"a new key in a table", "[t]\nb = 2\n\n[u]\n", []string{"t", "c"}, "3", "[t]\nb = 2\nc = 3\n\n[u]\n"},
		{"a new table", "a = 1", []string{"t", "c"}, "3", "a = 1\n\n[t]\nc = 3\n"},
		{"an empty text", "", []string{"c"}, "3", "c = 3\n"},
		{"a triple-quoted string", "s = \"\"\"a\n\"b\"\n\"\"\"\nx = 1\n", []string{"s"}, "2", "s = 2\nx = 1\n"},
		{"beside keys with dots", "t.b = 2\n[u]\n", []string{"t", "c"}, "3", "t.b = 2\nt.c = 3\n\n[u]\n"},
		{"beside keys with dots, in a table", "[s]\nt.b = 2\n[u]\n", []string{"s", "t", "c d"}, "3", "[s]\nt.b = 2\nt.\"c d\" = 3\n[u]\n"},
		{"over a table below it", "[t.u]\nb = 2\n", []string{"t", "c"}, "3", "[t.u]\nb = 2\n\n[t]\nc = 3\n"},
		{"a key in an inline table", "t = {a = [1, 2], b = \"}, \"} # c\n", []string{"t", "b"}, "3", "t = { a = [1, 2], b = 3 } # c\n"},
		{"a new key in an inline table", "[s]\nt = {}\n", []string{"s", "t", "c d"}, "3", "[s]\nt = { \"c d\" = 3 }\n"},
		{"a table in one line", "i = { a = \"}\", b = 'x' } # c\n", []string{"i"}, "1", "i = 1 # c\n"},
	} {
		assert.Equal(t, c.want, string(tomltext.Set([]byte(c.text), c.path, c.value)), c.what)
	}
	assert.Equal(t, "t = { b = 'x' }\n", string(tomltext.Drop([]byte("t = { a = 1, b = 'x' , }\n"), []string{"t", "a"})))
	assert.Equal(t, "t = {}\n", string(tomltext.Drop([]byte("t = { a = 1 }\n"), []string{"t", "a"})))
	assert.Equal(t, "t = {a = 1}\n", string(tomltext.Drop([]byte("t = {a = 1}\n"), []string{"t", "b"})))
	dropped := string(tomltext.Drop(tomltext.Drop([]byte(text), []string{"pythons"}), []string{"indexes"}))
	assert.Equal(t, "# of the press house\nstore = \"/a\" # big\n\n\n# the indexes\n[from-index]\ncider = \"a\"\n", dropped)
	set := string(project.SetIndexes([]byte(text), []string{"indexes"}, []project.IndexEntry{{Name: "n", At: "./w"}}))
	assert.Contains(t, set, "]\n\n[[indexes]]\nname = \"n\"\nat = \"./w\"\n\n[from-index]\ncider = \"a\"\n")
}

// What the decoder finds is told in the user's words, and not by the program's types.
func TestFaults(t *testing.T) {
	type table struct {
		Lists  []string            `toml:"lists"`
		Tables []struct{ A int }   `toml:"tables"`
		Groups map[string][]string `toml:"groups"`
		On     *bool               `toml:"on"`
	}
	var into struct {
		Inner *table `toml:"inner"`
		Plain struct {
			Text string `toml:"text"`
		} `toml:"plain"`
	}
	for text, want := range map[string]string{
		"[inner]\nlists = 'x'":           "line 2: inner.lists: it is a text, and should be a list of texts",
		"[inner]\nlists = [5.5]":         "line 2: inner.lists: it is a number, and should be a text",
		"[inner]\ntables = true":         "line 2: inner.tables: it is true or false, and should be a list",
		"[inner]\ntables = [{A = 'x'}]":  "line 2: inner.tables: it is a text, and should be a number",
		"[inner]\ngroups = []":           "line 2: inner.groups: it is a list, and should be a table",
		"[inner]\non = 2025-01-01":       "line 2: inner.on: it is a time, and should be true or false",
		"[plain]\ntext = {}":             "line 2: plain.text: it is a table, and should be a text",
		"inner = 5":                      "line 1: inner: it is a number, and should be a table",
		"[[inner]]":                      "line 1: inner: it is a list of tables, [[...]], and should be a table",
		"[plain]\n[plain.text]\nx = 'y'": "line 2: plain.text: it is a table, and should be a text",
		"[plain]\ntext = ":               "line 2: it is not TOML: ",
	} {
		err := toml.Unmarshal([]byte(text), &into)
		require.Error(t, err, text)
		assert.Contains(t, tomltext.FaultOf(err).String(), want, text)
	}
	assert.Equal(t, "no", tomltext.FaultOf(errors.New("toml: no")).String())
}
