package project_test

import (
	"crypto/sha256"
	"encoding/hex"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
)

func spec(t *testing.T, text string) *project.Spec {
	s, err := project.ParseSpec("pyproject.toml", []byte(text))
	require.NoError(t, err)
	return s
}

const full = `# top
[project]
name = "Orchard.Survey"
version = "1.0"
requires-python = ">=3.8"
dependencies = [
    "brixmeter>=2",     # the new scale
    'orchard-map; os_name == "posix"',
]
[project.optional-dependencies]
Charts = ["sugar-curve"]

[dependency-groups]
test = ["pick-list", {include-group = "Base_Tools"}]
base-tools = ["must-core"]

[tool.glassjar]
indexes = [{name = "a", at = "./wheels"}, {name = "b", at = "https://b.example/simple/"}]
from-index = {"Must_Core" = "b"}
see-system = true
`

func TestParseSpec(t *testing.T) {
	s := spec(t, full)
	assert.Equal(t, "Orchard.Survey", s.Name)
	assert.Equal(t, ">=3.8", s.RequiresPython.String())
	var got []string
	for _, a := range s.Asked {
		got = append(got, strings.Join([]string{a.Part.Group, a.Part.Extra, a.Requirement.String()}, "|"))
	}
	assert.Equal(t, []string{"||brixmeter>=2", `||orchard-map; os_name == "posix"`, "|charts|sugar-curve", "base-tools||must-core", "test||pick-list", "test||must-core"}, got)
	assert.Equal(t, []string{"charts"}, s.Extras)
	assert.Equal(t, []string{"base-tools", "test"}, s.Groups)
	assert.Equal(t, 7, s.Asked[0].Line)
	assert.Equal(t, 8, s.Asked[1].Line)
	assert.Equal(t, map[string]string{"must-core": "b"}, s.Tool.FromIndex)
	assert.Equal(t, []project.IndexEntry{{Name: "a", At: "./wheels"}, {Name: "b", At: "https://b.example/simple/"}}, s.Tool.Indexes)
	assert.True(t, s.Tool.SeeSystem)
}

func TestSpecFaults(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		line int
		says string
	}{
		"not TOML":            {"[project]\nname = = 1\n", 2, "not TOML"},
		"wrong type":          {"[project]\nname = \"x\"\ndependencies = \"y\"\n", 3, "project.dependencies: it is a text, and should be a list of texts"},
		"name":                {"[project]\nname = \"-x\"\n", 2, "not a distribution's name"},
		"requirement":         {"[project]\ndependencies = [\n\"ok\",\n\"x >> 1\",\n]\n", 4, "column 3"},
		"python":              {"[project]\nrequires-python = \"three\"\n", 2, "three"},
		"extra's requirement": {"[project.optional-dependencies]\na = [\"x >\"]\n", 2, "column"},
		"a record's marker":   {"[project]\ndependencies = [\"must; 'hot' in extras\"]\n", 2, "only records have"},
		"extra of its own":    {"[project]\nname = \"press\"\n[project.optional-dependencies]\na = [\"must\"]\nall = [\"press[a,b]\"]\n", 5, `press has no extra "b"`},
		"group's table":       {"[dependency-groups]\na = [{other = \"b\"}]\n", 0, "include-group"},
		"group that is not":   {"[dependency-groups]\na = [{include-group = \"b\"}]\n", 2, "not there"},
		"group in a circle":   {"[dependency-groups]\na = [{include-group = \"b\"}]\nb = [{include-group = \"a\"}]\n", 0, "includes itself"},
		"group twice":         {"[dependency-groups]\na-b = []\nA_B = []\n", 0, "same group"},
		"group's number":      {"[dependency-groups]\na = [3]\n", 0, "not a requirement"},
		"unknown key":         {"[tool.glassjar]\nindexs = []\n", 2, "not a key"},
		"type of a key":       {"[tool.glassjar]\nindexes = 3\n", 1, "tool.glassjar.indexes"},
		"index without place": {"[tool.glassjar]\nindexes = [{name = \"a\"}]\n", 2, "name and at"},
		"index twice":         {"[tool.glassjar]\nindexes = [{name = \"a\", at = \"x\"}, {name = \"a\", at = \"y\"}]\n", 2, "twice"},
	} {
		_, err := project.ParseSpec("pyproject.toml", []byte(c.text))
		var fault *project.FileError
		if assert.ErrorAs(t, err, &fault, name) {
			assert.Contains(t, err.Error(), c.says, name)
			if c.line > 0 {
				assert.Equal(t, c.line, fault.Line, name)
			}
		}
	}
	_, err := project.ParseSpec("pyproject.toml", []byte("[tool.glassjar]\nindexs = []\n"))
	var fault *project.FileError
	require.ErrorAs(t, err, &fault)
	assert.Contains(t, fault.Near, "indexes")
}

// Each edit leaves all else as it is.
func TestEdit(t *testing.T) {
	for _, c := range []struct {
		name, text string
		place      project.Part
		add, drop  []string
		want       string
	}{
		{"nothing there", "", project.Part{}, []string{"a>=1", "b"}, nil,
			"[project]\nname = \"orchard\"\nversion = \"0.1.0\"\ndependencies = [\n    \"a>=1\",\n    \"b\",\n]\n"},
		{"another table only", "[tool.x]\ny = 1", project.Part{}, []string{"a"}, nil,
			"[tool.x]\ny = 1\n\n[project]\nname = \"orchard\"\nversion = \"0.1.0\"\ndependencies = [\n    \"a\",\n]\n"},
		{"a project without dependencies", "[project]\nname = \"x\"  # ours\n\n[tool.x]\ny = 1\n", project.Part{}, []string{"a"}, nil,
			"[project]\nname = \"x\"  # ours\ndependencies = [\n    \"a\",\n]\n\n[tool.x]\ny = 1\n"},
		{"on one line", "[project]\nname='x'\ndependencies=['a', 'b']\n", project.Part{}, []string{"c"}, []string{"a"},
			"[project]\nname='x'\ndependencies=['b', \"c\"]\n"},
		{"an empty list", "[project]\nname='x'\ndependencies=[]\n", project.Part{}, []string{"c"}, nil,
			"[project]\nname='x'\ndependencies=[\n    \"c\",\n]\n"},
		{"one a line, with comments", "[project]\nname='x'\ndependencies = [\n  # first\n  \"a\", # why a\n  \"b\"  # why b\n]\n", project.Part{}, []string{"c", "A>2"}, nil,
			"[project]\nname='x'\ndependencies = [\n  # first\n  \"A>2\", # why a\n  \"b\",  # why b\n  \"c\",\n]\n"},
		{"drop the last of a line", "[project]\nname='x'\ndependencies=['a', 'b']\n", project.Part{}, nil, []string{"B"},
			"[project]\nname='x'\ndependencies=['a']\n"},
		{"drop a line with its comment", "[project]\nname='x'\ndependencies = [\n  \"a\", # why a\n  \"b\",\n]\n", project.Part{}, nil, []string{"a"},
			"[project]\nname='x'\ndependencies = [\n  \"b\",\n]\n"},
		{"a new group", "[project]\nname='x'\n", project.Part{Group: "test"}, []string{"a"}, nil,
			"[project]\nname='x'\n\n[dependency-groups]\ntest = [\n    \"a\",\n]\n"},
		{"a group under another spelling", "[dependency-groups]\nMy_Test = [\"b\"]\n", project.Part{Group: "my-test"}, []string{"a"}, nil,
			"[dependency-groups]\nMy_Test = [\"b\", \"a\"]\n"},
		{"a new extra", "[project]\nname='x'\n", project.Part{Extra: "charts"}, []string{"a"}, nil,
			"[project]\nname='x'\n\n[project.optional-dependencies]\ncharts = [\n    \"a\",\n]\n"},
		{"a dotted key", "project.name = 'x'\nproject.dependencies = ['a']\n", project.Part{}, []string{"b"}, nil,
			"project.name = 'x'\nproject.dependencies = ['a', \"b\"]\n"},
		{"quotes in a marker", "[project]\nname='x'\ndependencies=[\n]\n", project.Part{}, []string{`a; os_name == "nt"`}, nil,
			"[project]\nname='x'\ndependencies=[\n    'a; os_name == \"nt\"',\n]\n"},
		{"two with markers stand side by side", "[project]\nname='x'\ndependencies=['a', 'b', 'A>0']\n", project.Part{}, []string{`a<2; os_name == "nt"`, `a>=2; os_name == "posix"`, `a>=2; os_name == "posix"`}, nil,
			"[project]\nname='x'\ndependencies=['a', 'b', 'A>0', 'a<2; os_name == \"nt\"', 'a>=2; os_name == \"posix\"']\n"},
		{"one without a marker is instead of all", "[project]\nname='x'\ndependencies=[\n 'a>1', # why\n 'b',\n 'a<2; os_name == \"nt\"',\n]\n", project.Part{}, []string{"a>3"}, nil,
			"[project]\nname='x'\ndependencies=[\n \"a>3\", # why\n 'b',\n]\n"},
		{"the same marker", "[project]\nname='x'\ndependencies=['a<2; os_name == \"nt\"', 'a']\n", project.Part{}, []string{`a<3; os_name == "nt"`}, nil,
			"[project]\nname='x'\ndependencies=['a<3; os_name == \"nt\"', 'a']\n"},
		{"no line end at the end", "[project]\nname='x'", project.Part{}, []string{"a"}, nil, "[project]\nname='x'\ndependencies = [\n    \"a\",\n]\n"},
		{"a quoted head", "[ \"project\" ] # ours\nname='x'\n[tool.x]\n", project.Part{}, []string{"a"}, nil,
			"[ \"project\" ] # ours\nname='x'\ndependencies = [\n    \"a\",\n]\n[tool.x]\n"},
		{"a head within a text", "[project]\nname='x'\ndescription='''\n[project]\n[tool.x]\n'''\n\n# of x\n[tool.x]\n", project.Part{}, []string{"a"}, nil,
			"[project]\nname='x'\ndescription='''\n[project]\n[tool.x]\n'''\ndependencies = [\n    \"a\",\n]\n\n# of x\n[tool.x]\n"},
		{"a byte order mark", "\uFEFF[project]\nname='x'\ndependencies=['b']\n", project.Part{}, []string{"a"}, nil, "\uFEFF[project]\nname='x'\ndependencies=['b', \"a\"]\n"},
		{"nothing but a mark", "\uFEFF", project.Part{}, []string{"a"}, nil, "\uFEFF[project]\nname = \"orchard\"\nversion = \"0.1.0\"\ndependencies = [\n    \"a\",\n]\n"},
		{"line ends of two characters", "[project]\r\nname='x'\r\ndependencies = [\r\n  'a', # why\r\n  'b',\r\n]\r\n", project.Part{}, []string{"c"}, []string{"a"},
			"[project]\r\nname='x'\r\ndependencies = [\r\n  'b',\r\n  \"c\",\n]\r\n"},
		{"dotted keys without a list", "project.name = 'x'\n\n[tool.x]\n", project.Part{}, []string{"b"}, nil, "project.name = 'x'\nproject.dependencies = [\n    \"b\",\n]\n\n[tool.x]\n"},
		{"a comment in an empty list", "[project]\nname='x'\ndependencies = [\n  # none yet\n  ]\n", project.Part{}, []string{"a"}, nil, "[project]\nname='x'\ndependencies = [\n  # none yet\n    \"a\",\n  ]\n"},
		{"commas on lines of their own", "[project]\nname='x'\ndependencies = [\n'a' ,\n\n'b' # c\n, ]\n", project.Part{}, []string{"d"}, nil, "[project]\nname='x'\ndependencies = [\n'a' ,\n\n'b' # c\n,\n\"d\", ]\n"},
		{"out from before such a comma", "[project]\nname='x'\ndependencies = [\n'a' # why a\n, 'b' # why b\n, ]\n", project.Part{}, nil, []string{"a"}, "[project]\nname='x'\ndependencies = [\n 'b' # why b\n, ]\n"},
		{"the last one behind a comment on another", "[project]\nname='x'\ndependencies = ['a' # why a\n, 'b']\n", project.Part{}, nil, []string{"b"}, "[project]\nname='x'\ndependencies = ['a' # why a\n]\n"},
		{"in an inline table", "[project]\nname='x'\noptional-dependencies = { E = ['a'], f = [] }\n", project.Part{Extra: "e"}, []string{"b"}, []string{"a"}, "[project]\nname='x'\noptional-dependencies = { E = [\n    \"b\",\n], f = [] }\n"},
		{"new in an inline table", "project = { name = 'x' } # ours\n", project.Part{}, []string{"a"}, nil, "project = { name = 'x', dependencies = [\n    \"a\",\n] } # ours\n"},
		{"a new extra in an inline table", "[project]\nname='x'\noptional-dependencies = {}\n", project.Part{Extra: "e"}, []string{"a"}, nil, "[project]\nname='x'\noptional-dependencies = { e = [\n    \"a\",\n] }\n"},
		{"out of every place", "[project]\nname='x'\ndependencies=['a']\n[project.optional-dependencies]\ne=['a','b']\n[dependency-groups]\ng=['a']\n", project.Part{}, nil, []string{"a"},
			"[project]\nname='x'\ndependencies=[]\n[project.optional-dependencies]\ne=['b']\n[dependency-groups]\ng=[]\n"},
	} {
		got, err := spec(t, c.text).Edit(c.place, c.add, c.drop, "orchard")
		require.NoError(t, err, c.name)
		assert.Equal(t, c.want, string(got), c.name)
	}
}

func TestEditIndexes(t *testing.T) {
	list := []project.IndexEntry{{Name: "a", At: "wheels"}, {Name: "b", At: "https://b.example/simple/"}}
	text, err := spec(t, "[project]\nname='x'\n").EditIndexes(list)
	require.NoError(t, err)
	assert.Equal(t, list, spec(t, string(text)).Tool.Indexes)
	text, err = spec(t, string(text)).EditIndexes(list[1:])
	require.NoError(t, err)
	assert.Equal(t, "[project]\nname='x'\n\n[tool.glassjar]\nindexes = [\n    { name = \"b\", at = \"https://b.example/simple/\" },\n]\n", string(text))
}

func TestList(t *testing.T) {
	list, _, err := project.ParseList("needs.txt", "\uFEFF# ours\r\n\nbrixmeter>=2  # scale\npress @ https://a.example/press-1.0-py3-none-any.whl#sha256=ab\n  must-core ; os_name == 'nt'\n")
	require.NoError(t, err)
	var got []string
	for _, a := range list {
		got = append(got, a.Requirement.String())
	}
	assert.Equal(t, []string{"brixmeter>=2", "press @ https://a.example/press-1.0-py3-none-any.whl#sha256=ab", `must-core; os_name == "nt"`}, got)
	assert.Equal(t, 5, list[2].Line)
	for text, says := range map[string]string{"-x other\n": "follow it by itself", "a\n--wings\n": "line 2", "a >>\n": "column 3"} {
		_, _, err := project.ParseList("needs.txt", text)
		assert.ErrorContains(t, err, says, text)
	}
	// All faults in one go, and what is a requirement all the same.
	list, left, err := project.ParseList("needs.txt", "a==1 \\\n    --sum=sha256:ab\nb>=2 --sum=sha256:cd\n>=\nc\n")
	var faults *project.ListError
	require.ErrorAs(t, err, &faults)
	assert.Len(t, faults.Faults, 4)
	assert.Len(t, left, 4)
	require.Len(t, list, 3)
	assert.Equal(t, []string{"a==1", "b>=2", "c"}, []string{list[0].String(), list[1].String(), list[2].String()})
	assert.Contains(t, left[2].Error(), `line 3: "--sum=sha256:cd" follows the requirement`)
}

const record = `lock-version = "1.0"
created-by = "someone"
requires-python = ">=3.9"
environments = ["sys_platform == 'linux'", "sys_platform == 'win32'"]
extras = ["Charts"]
dependency-groups = ["test"]
default-groups = ["test"]

[[packages]]
name = "Press.Tool"
version = "1.0"
marker = "'test' in dependency_groups"
requires-python = ">=3.8"
dependencies = [{name = "must-core", version = "1.0"}]
index = "https://a.example/simple/"
attestation-identities = [{kind = "x"}]
wheels = [{name = "press_tool-1.0-py3-none-any.whl", upload-time = 2024-01-02T03:04:05Z, url = "https://a.example/p.whl", size = 12, hashes = {SHA256 = "ABABABABABABABABABABABABABABABABABABABABABABABABABABABABABABABAB"}}]
sdist = {path = "sub/press_tool-1.0.tar.gz", hashes = {sha256 = "cdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcdcd"}}

[[packages]]
name = "local"
archive = {path = "local-1.0-py3-none-any.whl", hashes = {sha256 = "efefefefefefefefefefefefefefefefefefefefefefefefefefefefefefefef", new = "1"}}

[[packages]]
name = "from-git"
vcs = {type = "git", url = "https://a.example/x.git", commit-id = "0123456789abcdef0123456789abcdef01234567"}

[tool.other]
x = 1
`

func TestParseRecord(t *testing.T) {
	r, err := project.ParseRecord("/orchard/pylock.toml", []byte(record))
	require.NoError(t, err)
	require.Len(t, r.Packages, 3)
	p := r.Packages[0]
	assert.Equal(t, "press-tool", p.Name)
	assert.Equal(t, "must-core", p.Dependencies[0].Name)
	assert.Equal(t, "1.0", p.Dependencies[0].Version.String())
	assert.Equal(t, strings.Repeat("ab", 32), p.Wheels[0].Hashes["sha256"])
	assert.Equal(t, "2024-01-02T03:04:05Z", p.Wheels[0].Uploaded.Format("2006-01-02T15:04:05Z07:00"))
	assert.Equal(t, filepath.FromSlash("/orchard/sub/press_tool-1.0.tar.gz"), r.LocalPath(*p.Sdist))
	assert.Equal(t, "press_tool-1.0.tar.gz", p.Sdist.FileName())
	assert.True(t, p.Marker.HoldsIn(nil, nil, []string{"Test"}))
	assert.False(t, p.Marker.HoldsIn(nil, nil, nil))
	assert.Equal(t, "local-1.0-py3-none-any.whl", r.Packages[1].Archive.FileName())
	assert.Equal(t, "git", r.Packages[2].VCS.Type)
	assert.Equal(t, []string{"charts"}, r.Extras)
	assert.Len(t, r.Environments, 2)
}

func TestRecordFaults(t *testing.T) {
	head := "lock-version = \"1.0\"\ncreated-by = \"x\"\n"
	sum := " hashes = {sha256 = \"" + strings.Repeat("0", 64) + "\"}"
	for text, says := range map[string]string{
		"x = 1\n":                                              "no lock-version",
		"lock-version = \"2.0\"\n":                             "newer",
		"lock-version = \"1.0\"\n":                             "created-by",
		"lock-version = \n":                                    "not TOML",
		head + "requires-python = \"x\"\n":                     "requires-python",
		head + "environments = [\"x == \"]\n":                  "environments",
		head + "[[packages]]\nname = \"-\"\n":                  "name",
		head + "[[packages]]\nname = \"a\"\n":                  "one source",
		head + "[[packages]]\nname = \"a\"\nversion = \"x\"\n": "not a version",
		head + "[[packages]]\nname = \"a\"\nmarker = \"x\"\n":  "marker",
		head + "[[packages]]\nname = \"a\"\nwheels = [{hashes = {sha256 = \"a\"}}]\n":         "neither url nor path",
		head + "[[packages]]\nname = \"a\"\nwheels = [{url = \"https://a.example/a.whl\"}]\n": "no hash",
		head: "no packages",
		head + "[[packages]]\nname = \"a\"\nwheels = [{url = \"https://a.example/a.whl\", hashes = {sha256 = \"ab\"}}]\n":                                      "no such hash",
		head + "[[packages]]\nname = \"a\"\nwheels = [{url = \"https://a.example/a.whl\", hashes = {new = \"ab\"}}]\n":                                         "relied on",
		head + "[[packages]]\nname = \"a\"\nwheels = [{url = \"https://a.example/a.whl\", size = -1, hashes = {new = \"ab\"}}]\n":                              "size",
		head + "[[packages]]\nname = \"a\"\nversion = \"1.2\"\nwheels = [\n {name = \"a-1.3-py3-none-any.whl\", url = \"https://a.example/x\"," + sum + "}]\n": "line 3: packages, entry 1 (a): version 1.2 (line 5) is not that of its file a-1.3-py3-none-any.whl (line 7)",
		head + "[[packages]]\nname = \"a\"\nsdist = {url = \"https://a.example/b-1.tar.gz\"," + sum + "}\n":                                                    "its file b-1.tar.gz (line 5) is of b",
		head + "[[packages]]\nname = \"a\"\ndirectory = {path = \".\"}\nvcs = {type = \"git\"}\n":                                                              "one source",
	} {
		_, err := project.ParseRecord("pylock.toml", []byte(text))
		assert.ErrorContains(t, err, says, text)
	}
	_, err := project.ReadRecord(filepath.Join(t.TempDir(), "pylock.toml"))
	assert.ErrorIs(t, err, project.ErrNoRecord)
}

// What is written reads back the same, and is written the same again.
func TestRecordRoundTrip(t *testing.T) {
	r, err := project.ParseRecord("pylock.toml", []byte(record))
	require.NoError(t, err)
	r.Packages = r.Packages[:2]
	r.Packages[0].NeedsOf = "press_tool-1.0-py3-none-any.whl"
	r.Left = []project.LeftOut{{Targets: []string{"windows-x86_64 3.12"}, Why: "must has no file for it"}}
	r.Asked, r.SeeSystem = []string{`press-tool; os_name == "nt"`, "a'b\"c\\d"}, true
	text := r.Format()
	again, err := project.ParseRecord("pylock.toml", text)
	require.NoError(t, err)
	assert.Equal(t, string(text), string(again.Format()))
	assert.Equal(t, r.Asked, again.Asked)
	assert.Equal(t, r.Packages[0].NeedsOf, again.Packages[0].NeedsOf)
	assert.Equal(t, r.Packages[0].Wheels, again.Packages[0].Wheels)
	assert.True(t, again.SeeSystem)
}

func TestShorten(t *testing.T) {
	top := filepath.Join(t.TempDir(), "a")
	deep := filepath.Join(top, "b")
	assert.Equal(t, "b", project.Shorten(top, deep))
	assert.Equal(t, ".", project.Shorten(deep, deep))
	assert.Equal(t, top, project.Shorten(deep, top))
	assert.Equal(t, top+"-more", project.Shorten(top, top+"-more"))
}

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"", "", 0}, {"brixmeter", "brixmeter", 0}, {"brixmetre", "brixmeter", 1}, {"press", "pres", 1}, {"", "abc", 3}, {"apfel", "äpfel", 1}, {"abc", "cab", 2}} {
		assert.Equal(t, c.want, project.Distance(c.a, c.b), "%s %s", c.a, c.b)
		assert.Equal(t, c.want, project.Distance(c.b, c.a), "%s %s", c.b, c.a)
	}
	assert.Equal(t, "indexes", project.Nearest("indexs", []string{"python", "indexes"}))
}

func FuzzSpec(f *testing.F) {
	f.Add([]byte(full), "press>=1")
	f.Add([]byte("[project]\nname='x'\ndependencies = [ # a\n'b' # c\n, ]\n"), "b")
	f.Fuzz(func(t *testing.T, text []byte, want string) {
		s, err := project.ParseSpec("pyproject.toml", text)
		if err != nil {
			return
		}
		edited, err := s.Edit(project.Part{}, []string{want}, nil, "x")
		if err != nil {
			return
		}
		again, err := project.ParseSpec("pyproject.toml", edited)
		require.NoError(t, err)
		require.GreaterOrEqual(t, len(again.Asked)+1, len(s.Asked))
	})
}

func FuzzRecord(f *testing.F) {
	f.Add([]byte(record))
	f.Fuzz(func(t *testing.T, text []byte) {
		r, err := project.ParseRecord("pylock.toml", text)
		if err != nil {
			return
		}
		_, _, _ = project.ParseList("x", string(text))
		_ = r.Format()
	})
}

func FuzzList(f *testing.F) {
	f.Add("brixmeter>=1  # sweet\nmust-core ; python_version < '3.9'\n\\\n")
	f.Add("press @ file:///a.whl --hash=sha256:ab\n-r other.txt\n")
	f.Fuzz(func(t *testing.T, text string) {
		asked, left, err := project.ParseList("needs.txt", text)
		for _, a := range asked {
			require.NotEmpty(t, a.Name)
		}
		require.True(t, err == nil || len(left) > 0 || len(asked) == 0)
	})
}

func TestParts(t *testing.T) {
	group, extra := project.Part{Group: "tests"}, project.Part{Extra: "tests"}
	for _, c := range []struct {
		part                  project.Part
		text, asks, condition string
	}{
		{project.Part{}, "dependencies", "a>1", ""},
		{group, "group tests", "group tests: a>1", `"tests" in dependency_groups`},
		{extra, "extra tests", "extra tests: a>1", `"tests" in extras`},
	} {
		assert.Equal(t, c.text, c.part.String())
		assert.Equal(t, c.asks, c.part.Asks("a>1"))
		assert.Equal(t, c.condition, c.part.Condition())
		back, rest := project.ReadAsks(c.asks)
		assert.Equal(t, c.part, back)
		assert.Equal(t, "a>1", rest)
	}
	assert.Equal(t, group, project.Part{Group: "Tests"}.Normal())
	list := []project.Part{group, extra, {}, {Group: "a"}}
	slices.SortFunc(list, project.Part.Compare)
	assert.Equal(t, []project.Part{{}, {Group: "a"}, extra, group}, list)

	p := project.Parts{Only: true}.With([]string{"tests", "docs", "tests"}, nil)
	assert.Equal(t, []string{"docs", "tests"}, p.Groups)
	assert.True(t, p.Has(group))
	assert.False(t, p.Has(extra) || p.Has(project.Part{}))
	assert.True(t, project.Parts{}.Has(project.Part{}))
	assert.False(t, p.Equal(project.Parts{}))
}

// What an edit would make that does not read back is not written.
func TestEditsReadBack(t *testing.T) {
	_, err := (&project.Spec{File: "pyproject.toml"}).Edit(project.Part{}, []string{"press"}, nil, "no name\x00")
	var not *project.EditError
	require.ErrorAs(t, err, &not)
	assert.Contains(t, not.Why, "is not a distribution's name")
	for text, want := range map[string]project.EditError{
		"project = { name = 'x' }\n":                                 {Inline: "project"},
		"[project]\nname='x'\ndynamic = ['optional-dependencies']\n": {Dynamic: "optional-dependencies"},
	} {
		_, err := spec(t, text).Edit(project.Part{Extra: "e"}, []string{"press"}, nil, "orchard")
		require.ErrorAs(t, err, &not, text)
		want.File = not.File
		assert.Equal(t, want.Error(), not.Error(), text)
	}
	text, err := (&project.Spec{File: "pyproject.toml"}).Edit(project.Part{}, []string{"press"}, nil, "orchard")
	require.NoError(t, err)
	assert.Contains(t, string(text), "press")
}

// The label of a record is as docs/formats.md says, and has nothing in it but what is installed.
func TestRecordLabel(t *testing.T) {
	r, err := project.ParseRecord("pylock.toml", []byte(record))
	require.NoError(t, err)
	lines := "glassjar record label 1\nsee-system false\n"
	for _, asked := range r.Asked {
		lines += "asked " + asked + "\n"
	}
	packages := slices.Clone(r.Packages)
	slices.SortFunc(packages, func(a, b project.Package) int { return strings.Compare(a.Name, b.Name) })
	for _, p := range packages {
		lines += "package " + p.Name + " " + p.Version.String() + "\n"
		if !p.Marker.IsZero() {
			lines += "marker " + p.Marker.String() + "\n"
		}
		var sums []string
		for _, f := range p.Wheels {
			sums = append(sums, "file sha256:"+f.Hashes["sha256"]+"\n")
		}
		for _, f := range []*project.PackageFile{p.Sdist, p.Archive} {
			if f != nil {
				sums = append(sums, "file sha256:"+f.Hashes["sha256"]+"\n")
			}
		}
		slices.Sort(sums)
		lines += strings.Join(sums, "")
		if p.VCS != nil {
			lines += "commit " + p.VCS.Commit + " " + p.VCS.Subdirectory + "\n"
		}
	}
	sum := sha256.Sum256([]byte(lines))
	want := hex.EncodeToString(sum[:10])
	assert.Equal(t, want, strings.ReplaceAll(r.Label(), "-", ""))

	label := r.Label()
	slices.Reverse(r.Packages)
	r.Packages[len(r.Packages)-1].Wheels[0].URL = "https://elsewhere.example/x.whl"
	r.Packages[len(r.Packages)-1].Index = "https://elsewhere.example/"
	assert.Equal(t, label, r.Label(), "where it comes from has no part in it")
	r.Packages[len(r.Packages)-1].Wheels[0].Hashes["sha256"] = strings.Repeat("cd", 32)
	assert.NotEqual(t, label, r.Label())
}

// Extras of the project that others name are what these ask for, once, under every condition on
// the way; a distribution that is only called as the project is stays one.
func TestOwnExtras(t *testing.T) {
	s, err := project.ParseSpec("pyproject.toml", []byte(`[project]
name = "Orchard.Press"
dependencies = ["orchard-press[far]"]
[project.optional-dependencies]
all = ["orchard_press[tests,docs]", "must"]
tests = ["must", "orchard-press[all]"]
docs = ["cider; python_version >= '3.9'"]
[dependency-groups]
dev = ["orchard-press[docs]; sys_platform == 'linux'", "perry"]
`))
	require.NoError(t, err)
	assert.Equal(t, []string{"orchard-press[far]", `extra all: cider; python_version >= "3.9"`, "extra all: must", `extra docs: cider; python_version >= "3.9"`,
		"extra tests: must", `extra tests: cider; python_version >= "3.9"`,
		`group dev: cider; python_version >= "3.9" and sys_platform == "linux"`, "group dev: perry"}, project.Asks(s.Asked))
}
