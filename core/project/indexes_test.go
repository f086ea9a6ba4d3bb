package project_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/core/project"
)

// Those that stay keep their lines, with what is said of them, whatever goes, comes or moves; however
// the list is written.
func TestIndexesKeepWhatIsSaidOfThem(t *testing.T) {
	a, b, c := project.IndexEntry{Name: "a", At: "../w"}, project.IndexEntry{Name: "b", At: "https://b.example/"}, project.IndexEntry{Name: "c", At: "../c", Holds: "pythons"}
	elsewhere := project.IndexEntry{Name: "a", At: "../v"}
	const lines = "indexes = [ # where from\n  # ours\n  { name = \"a\", at = \"../w\" }, # first\n\n  # theirs\n  { name = \"b\", at = \"https://b.example/\" }\n  # no more\n]\nx = 1\n"
	const tables = "x = 1\n\n# ours\n[[indexes]]\nname = \"a\" # first\nat = \"../w\"\n\n# theirs\n[[indexes]]\nname = \"b\"\nat = \"https://b.example/\"\n\n# of t\n[t]\ny = 1\n"
	for _, one := range []struct {
		what, text string
		list       []project.IndexEntry
		want       string
	}{
		{"nothing changes but a comma", lines, []project.IndexEntry{a, b}, "indexes = [ # where from\n  # ours\n  { name = \"a\", at = \"../w\" }, # first\n\n  # theirs\n  { name = \"b\", at = \"https://b.example/\" },\n  # no more\n]\nx = 1\n"},
		{"one comes", lines, []project.IndexEntry{a, b, c}, "indexes = [ # where from\n  # ours\n  { name = \"a\", at = \"../w\" }, # first\n\n  # theirs\n  { name = \"b\", at = \"https://b.example/\" },\n  { name = \"c\", at = \"../c\", holds = \"pythons\" },\n  # no more\n]\nx = 1\n"},
		{"one goes, with what is said of it", lines, []project.IndexEntry{b}, "indexes = [ # where from\n\n  # theirs\n  { name = \"b\", at = \"https://b.example/\" },\n  # no more\n]\nx = 1\n"},
		{"they change places", lines, []project.IndexEntry{b, a}, "indexes = [ # where from\n\n  # theirs\n  { name = \"b\", at = \"https://b.example/\" },\n  # ours\n  { name = \"a\", at = \"../w\" }, # first\n  # no more\n]\nx = 1\n"},
		{"one is elsewhere now", lines, []project.IndexEntry{elsewhere, b}, "indexes = [ # where from\n  # ours\n  { name = \"a\", at = \"../v\" }, # first\n\n  # theirs\n  { name = \"b\", at = \"https://b.example/\" },\n  # no more\n]\nx = 1\n"},
		{"a table comes", tables, []project.IndexEntry{a, b, c}, "x = 1\n\n# ours\n[[indexes]]\nname = \"a\" # first\nat = \"../w\"\n\n# theirs\n[[indexes]]\nname = \"b\"\nat = \"https://b.example/\"\n\n[[indexes]]\nname = \"c\"\nat = \"../c\"\nholds = \"pythons\"\n\n# of t\n[t]\ny = 1\n"},
		{"a table goes", tables, []project.IndexEntry{b}, "x = 1\n\n# theirs\n[[indexes]]\nname = \"b\"\nat = \"https://b.example/\"\n\n# of t\n[t]\ny = 1\n"},
		{"tables change places", tables, []project.IndexEntry{b, a}, "x = 1\n\n# theirs\n[[indexes]]\nname = \"b\"\nat = \"https://b.example/\"\n\n# ours\n[[indexes]]\nname = \"a\" # first\nat = \"../w\"\n\n# of t\n[t]\ny = 1\n"},
		{"a table at the end", "[[indexes]]\nname = \"a\"\nat = \"../w\"", []project.IndexEntry{a, b}, "[[indexes]]\nname = \"a\"\nat = \"../w\"\n\n[[indexes]]\nname = \"b\"\nat = \"https://b.example/\"\n"},
		{"none is left", lines, nil, "indexes = []\nx = 1\n"},
		{"on one line", "indexes = [{ name = \"a\", at = \"../w\" }] # one\n", []project.IndexEntry{a, b}, "indexes = [\n    { name = \"a\", at = \"../w\" },\n    { name = \"b\", at = \"https://b.example/\" },\n] # one\n"},
		{"a comment with a bracket", "indexes = [\n  { name = \"a\", at = \"../w\" }, # ] and }\n]\n", []project.IndexEntry{a, b}, "indexes = [\n  { name = \"a\", at = \"../w\" }, # ] and }\n  { name = \"b\", at = \"https://b.example/\" },\n]\n"},
	} {
		assert.Equal(t, one.want, string(project.SetIndexes([]byte(one.text), []string{"indexes"}, one.list)), one.what)
	}
}
