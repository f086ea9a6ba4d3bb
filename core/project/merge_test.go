package project_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
)

// Marks of a merge that failed tell both sides, and with their third part the base; what is
// no whole set of marks is a text like others.
func TestSides(t *testing.T) {
	for _, c := range []struct {
		text, ours, base, theirs string
		ok                       bool
	}{
		{"a\n<<<<<<< HEAD\nb\n=======\nc\n>>>>>>> one\nd\n", "a\nb\nd\n", "", "a\nc\nd\n", true},
		{"<<<<<<< HEAD\nb\n||||||| 12ab\nx\n=======\n>>>>>>> one\n<<<<<<< HEAD\n=======\nc\n>>>>>>> one\n", "b\n", "x\n", "c\n", true},
		{"a\n=======\nb\n>>>>>>> one\n", "a\n=======\nb\n>>>>>>> one\n", "", "a\n=======\nb\n>>>>>>> one\n", false},
		{"<<<<<<< HEAD\r\na\r\n=======\r\nb\r\n>>>>>>> one\r\n", "a\r\n", "", "b\r\n", true},
		{"<<<<<<< HEAD\na\n=======\n", "a\n", "", "", false},
		{"<<<<<<<< eight\na\n", "<<<<<<<< eight\na\n", "", "<<<<<<<< eight\na\n", false},
	} {
		ours, base, theirs, ok := project.Sides([]byte(c.text))
		assert.Equal(t, c.ok, ok, c.text)
		assert.Equal(t, c.ours, string(ours), c.text)
		assert.Equal(t, c.base, string(base), c.text)
		assert.Equal(t, c.theirs, string(theirs), c.text)
	}
}

func recordOf(t *testing.T, head, entries string) *project.Record {
	r, err := project.ParseRecord("pylock.toml", []byte("lock-version = \"1.0\"\ncreated-by = \"glassjar\"\n"+head+entries))
	require.NoError(t, err)
	return r
}

func entryOf(name, version string) string {
	return "[[packages]]\nname = \"" + name + "\"\nversion = \"" + version + "\"\ndirectory = { path = \"" + name + "\" }\n"
}

// Of two changes of a record each side's wishes count; a version is that of the side that moved
// it, and the newer one where both did.
func TestMergeRecords(t *testing.T) {
	base := recordOf(t, "requires-python = \">=3.8\"\n", entryOf("a", "1")+entryOf("b", "1")+entryOf("c", "1")+entryOf("d", "2")+"[tool.glassjar]\nasked = [\"a\", \"b\", \"group tests: c\"]\n")
	ours := recordOf(t, "requires-python = \">=3.9\"\n", entryOf("a", "2")+entryOf("b", "1")+entryOf("c", "3")+entryOf("d", "1")+entryOf("e", "1")+"[tool.glassjar]\nasked = [\"a\", \"e\", \"group tests: c\"]\n")
	theirs := recordOf(t, "requires-python = \">=3.8\"\n", entryOf("a", "1")+entryOf("b", "4")+entryOf("c", "2")+entryOf("d", "2")+entryOf("f", "1")+"[tool.glassjar]\nasked = [\"a\", \"b\", \"extra map: f\"]\n")
	versions := func(m project.Merge) (out string) {
		for _, p := range m.Record.Packages {
			out += p.Name + p.Version.String() + " "
		}
		return out
	}
	m := project.MergeRecords(base, ours, theirs)
	assert.Equal(t, []string{"a", "e", "extra map: f"}, m.Record.Asked)
	assert.Equal(t, []string{"extra map: f"}, m.Added)
	assert.Equal(t, []string{"group tests: c"}, m.Dropped)
	assert.Equal(t, "a2 b4 c3 d1 e1 f1 ", versions(m))
	require.Len(t, m.Moved, 1)
	assert.Equal(t, "c", m.Moved[0].Name)
	assert.Equal(t, ">=3.9", m.Record.RequiresPython.Written())
	assert.Equal(t, "a2 b4 c3 d2 e1 f1 ", versions(project.MergeRecords(nil, ours, theirs)), "without a base the newer one")
	assert.Equal(t, []string{"a", "e", "group tests: c", "b", "extra map: f"}, project.MergeRecords(nil, ours, theirs).Record.Asked)
}

// Specs that differ in what they ask for alone are one, in the words of ours; other differences
// are a person's.
func TestMergeSpecs(t *testing.T) {
	spec := func(version, lists string) []byte {
		return []byte("[project] # ours\nname = \"press\"\nversion = \"" + version + "\"\n" + lists)
	}
	base := spec("1", "dependencies = [\"a\", \"b\"]\n")
	ours := spec("1", "dependencies = [\n    \"a>=2\", # the press reads the old scale\n    \"b\",\n    \"c\",\n]\n")
	theirs := spec("1", "dependencies = [\"a\", \"d\"]\n\n[dependency-groups]\ntests = [\"e\"]\n")
	merged, err := project.MergeSpecs("pyproject.toml", base, ours, theirs)
	require.NoError(t, err)
	s, err := project.ParseSpec("pyproject.toml", merged)
	require.NoError(t, err)
	assert.Equal(t, []string{"a>=2", "c", "d", "group tests: e"}, project.Asks(s.Asked))
	assert.Contains(t, string(merged), "# the press reads the old scale")
	_, err = project.MergeSpecs("pyproject.toml", base, ours, spec("2", "dependencies = [\"a\"]\n"))
	assert.ErrorContains(t, err, "differ in more than what they ask for")
	_, err = project.MergeSpecs("pyproject.toml", base, ours, []byte("[project\n"))
	assert.Error(t, err)
}

// A merge line by line can leave a table or a key twice, where both sides added it.
func TestDoubled(t *testing.T) {
	head := "[project]\nname = \"press\"\n"
	for _, c := range []struct {
		name, text string
		want       []string // what it asks for, with [project.MergeSpecs]; nil where nothing is twice
	}{
		{"nothing", head + "dependencies = [\"a\"]\n[dependency-groups]\ndev = [\"b\"]\n", nil},
		{"a table", head + "[dependency-groups]\ndev = [\"a\"]\n\n# of the other side\n[dependency-groups]\ndev = [\"b\"]\ndocs = [\n  \"c\",\n]\n", []string{"group dev: a", "group dev: b", "group docs: c"}},
		{"a table between others", head + "[project.optional-dependencies]\nhot = [\"a\"]\n[tool.x]\ny = 1\n[project.optional-dependencies]\ncold = [\"b\"]\n", []string{"extra cold: b", "extra hot: a"}},
		{"a key", head + "dependencies = [\n  \"a\", # why\n]\nversion = \"1\"\ndependencies = ['b']\n", []string{"a", "b"}},
		{"a key of a group", head + "[dependency-groups]\ndev = [\"a\"]\ndocs = [\"c\"]\ndev = [\"b\"]\n", []string{"group dev: a", "group dev: b", "group docs: c"}},
		{"a key and a table", head + "dependencies = [\"a\"]\ndependencies = [\"b\"]\n[dependency-groups]\ndev = [\"c\"]\n[dependency-groups]\ndev = [\"d\"]\n", []string{"a", "b", "group dev: c", "group dev: d"}},
		{"thrice", head + "dependencies = [\"a\"]\ndependencies = [\"b\"]\ndependencies = [\"c\"]\n", nil},
		{"in a text", head + "description = \"\"\"\n[dependency-groups]\n[dependency-groups]\n\"\"\"\n", nil},
	} {
		ours, theirs, ok := project.Doubled([]byte(c.text))
		if require.Equal(t, c.want != nil, ok, c.name); !ok {
			continue
		}
		merged, err := project.MergeSpecs("pyproject.toml", nil, ours, theirs)
		require.NoError(t, err, c.name)
		spec, err := project.ParseSpec("pyproject.toml", merged)
		require.NoError(t, err, "%s\n%s", c.name, merged)
		got := project.Asks(spec.Asked)
		slices.Sort(got)
		assert.Equal(t, c.want, got, "%s\n%s", c.name, merged)
	}
}

// What a record that cannot be read any more says of versions is not lost.
func TestSalvage(t *testing.T) {
	r := project.Salvage([]byte(entryOf("a", "1") + "<<<<<<< HEAD\n" + entryOf("a", "1.10") + "=======\n" + entryOf("a", "1.9") + "wheels = [\n" + entryOf("b", "no version") + "[tool.x]\nversion = \"3\"\n"))
	require.Len(t, r.Packages, 1)
	assert.Equal(t, "1.10", r.Packages[0].Version.String())
}
