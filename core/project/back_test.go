package project_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
	_ "glassjar/internal/long"
)

// A spec asks for what it did, and what is of others in it stays.
func TestBack(t *testing.T) {
	spec := func(rest, asks string) string {
		return "[project]\nname = \"press\"\n" + rest + "dependencies = [" + asks + "]\n"
	}
	const tool = "\n[tool.sieve]\nfine = true # ours\n"
	const build = "\n[build-system]\nrequires = []\nbuild-backend = \"mill\"\n"
	for what, c := range map[string]struct{ now, last, then, want string }{
		"as this program left it":     {spec("", `"cider"`), spec("", `"cider"`), "# old\n" + spec("", `"must"`), "# old\n" + spec("", `"must"`)},
		"no spec then":                {spec("", `"cider"`), spec("", `"cider"`), "", ""},
		"from a folder, no spec then": {spec("", `"cider"`) + "\n[tool.glassjar.from-folder]\ncider = { path = \"../mill\" }\n", spec("", `"cider"`) + "\n[tool.glassjar.from-folder]\ncider = { path = \"../mill\" }\n", "", ""},
		"no spec now":                 {"", spec("", `"cider"`), spec("", `"must"`), spec("", `"must"`)},
		"a comment":                   {"# new\n" + spec("", `"cider"`), spec("", `"cider"`), spec("", `"must"`), "# new\n" + spec("", `"must"`)},
		"another program's":           {spec("", `"cider"`) + tool, spec("", `"cider"`) + tool, spec("", `"must"`), spec("", `"must"`) + tool},
		"and no spec then":            {spec("", `"cider"`) + tool, spec("", `"cider"`) + tool, "", "[project]\nname = \"press\"\n" + tool},
		"a comment, no spec then":     {"# new\n" + spec("", `"cider"`), spec("", `"cider"`), "", "# new\n[project]\nname = \"press\"\n"},
		"a newer version":             {spec("version = \"2\"\n", `"cider"`), "", spec("version = \"1\"\n", `"must"`), spec("version = \"2\"\n", `"must"`)},
		"the Pythons": {spec("requires-python = \">=3.12\"\n", `"cider"`) + tool, "", spec("requires-python = \">=3.9\"\n", `"must"`),
			spec("requires-python = \">=3.9\"\n", `"must"`) + tool},
		"no Pythons": {spec("requires-python = \">=3.12\"\n", `"cider"`) + tool, "", spec("", `"must"`), spec("", `"must"`) + tool},
		"a group":    {spec("", "") + tool, "", spec("", "") + "\n[dependency-groups]\ntests = [\"must\"]\n", spec("", "") + tool + "\n[dependency-groups]\ntests = [\"must\"]\n"},
		"settings": {spec("", `"cider"`) + "\n[tool.glassjar]\nindexes = []\nsee-system = true\ntargets = [\"linux-x86_64\"]\nheld = { cider = { at = \"<2\", why = \"sour\" } }\n", "",
			spec("", `"cider"`) + "\n[tool.glassjar]\nas-of = 2025-01-01\nsee-system = false\n", spec("", `"cider"`) + "\n[tool.glassjar]\nindexes = []\nsee-system = false\nas-of = 2025-01-01\n"},
		"a table in its own lines": {spec("", `"cider"`) + tool, "", spec("", `"must"`) + "[tool.glassjar.held.must]\nat = \"<2\"\nwhy = \"sour\"\n", spec("", `"must"`) + "[tool.glassjar.held.must]\nat = \"<2\"\nwhy = \"sour\"\n"},
		"settings, no spec then":   {spec("", `"cider"`) + "\n[tool.glassjar]\nindexes = []\nsee-system = true\n", "", "", "[project]\nname = \"press\"\n\n[tool.glassjar]\nindexes = []\n"},
		"how it is built":          {spec("", `"cider"`) + build, "", spec("", `"must"`), spec("", `"must"`) + build},
	} {
		text := func(s string) []byte {
			if s == "" {
				return nil
			}
			return []byte(s)
		}
		got, err := project.Back("pyproject.toml", text(c.now), text(c.last), text(c.then))
		require.NoError(t, err, what)
		assert.Equal(t, c.want, string(got), what)
	}
	for _, texts := range [][3]string{{"[", "", ""}, {"a = 1", "", "["}} {
		_, err := project.Back("pyproject.toml", []byte(texts[0]), nil, []byte(texts[2]))
		assert.Error(t, err)
	}
	assert.True(t, project.AskAlike([]byte(spec("", `"must"`)), []byte(spec("", "'must'")+tool)))
	assert.False(t, project.AskAlike([]byte(spec("", `"must"`)), nil))
}
