package project_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
)

// The blocks of the specification ("Inline script metadata", PEP 723), and what is none.
func TestScriptBlocks(t *testing.T) {
	for _, c := range []struct {
		name, text string
		asks       []string
		fault      string // the error's text, or "none" where there is no block
	}{
		{"one", "#!/usr/bin/env python3\n# /// script\n# requires-python = '>=3.8'\n# dependencies = [\n#   'brixmeter>=2',\n# ]\n# ///\nimport brixmeter\n", []string{"brixmeter>=2"}, ""},
		{"carriage returns", "# /// script\r\n# dependencies = ['must-core']\r\n# ///\r\n", []string{"must-core"}, ""},
		{"without a space", "# /// script\n#\n# dependencies = []\n#\n# ///\n", nil, ""},
		{"not closed", "# /// script\n# dependencies = []\nprint()\n", nil, "none"},
		{"broken by a line", "# /// script\n# dependencies = []\n\n# ///\n", nil, "none"},
		{"broken by a comment without a space", "# /// script\n#dependencies = []\n# ///\n", nil, "none"},
		{"empty", "# /// script\n# ///\n", nil, "none"},
		{"indented", "  # /// script\n  # dependencies = []\n  # ///\n", nil, "none"},
		{"another kind", "# /// orchard\n# trees = 3\n# ///\n", nil, "none"},
		{"within another kind", "# /// orchard\n# /// script\n# dependencies = []\n# ///\n", nil, "none"},
		{"the last sign closes", "# /// script\n# dependencies = ['must-core'] # /// \n# ///\n# ///\n", nil, "line 3"},
		{"two", "# /// script\n# dependencies = []\n# ///\n\n# /// script\n# dependencies = []\n# ///\n", nil, "line 5, column 1: there is a second block of script metadata; the first begins on line 1"},
		{"no TOML", "import os\n# /// script\n# dependencies = [\n#   'brixmeter>=2\n# ]\n# ///\n", nil, "line 4, column"},
		{"a bad requirement", "# /// script\n# dependencies = ['must-core', 'brix meter']\n# ///\n", nil, "line 2, column 32: dependencies: "},
		{"a wrong kind of value", "# /// script\n# dependencies = 3\n# ///\n", nil, "line 2, column 18: dependencies: it is a number, and should be a list of texts"},
		{"an unknown key", "# /// script\n# dependancies = []\n# ///\n", nil, `line 2, column 3: "dependancies" is not a key`},
		{"an unknown key of ours", "# /// script\n# dependencies = []\n# [tool.glassjar]\n# as-off = 2025-01-01\n# ///\n", nil, `line 4, column 3: tool.glassjar: "as-off" is not a key`},
		{"a key of projects", "# /// script\n# [tool.glassjar.from-file]\n# brixmeter = 'a.whl'\n# ///\n", nil, "from-file: it is for a project's spec"},
		{"a bad Python", "# /// script\n# requires-python = 'three'\n# ///\n", nil, "line 2, column"},
		{"another tool's table", "# /// script\n# dependencies = ['must-core']\n# [tool.press]\n# bar = 3\n# ///\n", []string{"must-core"}, ""},
		{"a relative path", "# /// script\n# dependencies = ['must-core @ ./must.whl']\n# ///\n", nil, "line 2, column 19: dependencies: a path means another file"},
	} {
		s, err := project.ParseScript("tally.py", []byte(c.text))
		switch c.fault {
		case "":
			require.NoError(t, err, c.name)
			var asks []string
			for _, a := range s.Asked {
				asks = append(asks, a.Requirement.String())
				assert.Contains(t, strings.Split(c.text, "\n")[a.Line-1], a.Text, c.name)
			}
			assert.Equal(t, c.asks, asks, c.name)
			spec, err := project.ParseSpec("pyproject.toml", s.Spec)
			require.NoError(t, err, c.name)
			assert.Len(t, spec.Asked, len(asks), c.name)
		case "none":
			assert.Equal(t, c.name == "empty" || strings.HasPrefix(c.name, "not") || strings.HasPrefix(c.name, "broken"), project.UnclosedBlock([]byte(c.text)) == 1, c.name)
			assert.ErrorIs(t, err, project.ErrNoBlock, c.name)
		default:
			var fault *project.FileError
			require.ErrorAs(t, err, &fault, c.name)
			assert.Contains(t, err.Error(), c.fault, c.name)
		}
	}
}

// What is edited stands in the block as it did, and nothing else of the file changes.
func TestScriptEdits(t *testing.T) {
	for _, c := range []struct{ name, before, after string }{
		{"added and taken out", "#!/bin/x\n# /// script\n# dependencies = [\n#     \"must-core\",  # the must\n#     \"brixmeter\",\n# ]\n# [tool.press]\n# bar = 3\n# ///\nx = '# ///'\n", "#!/bin/x\n# /// script\n# dependencies = [\n#     \"must-core\",  # the must\n#     \"orchard-map>=2\",\n# ]\n# [tool.press]\n# bar = 3\n# ///\nx = '# ///'\n"},
		{"the first one, with carriage returns", "# /// script\r\n# requires-python = \">=3.8\"\r\n# ///\r\nprint()\r\n", "# /// script\r\n# requires-python = \">=3.8\"\r\n# dependencies = [\r\n#     \"orchard-map>=2\",\r\n# ]\r\n# ///\r\nprint()\r\n"},
		{"a new block", string(project.NewBlock([]byte("#!/bin/x\n# coding: utf-8\nprint()\n"))), "#!/bin/x\n# coding: utf-8\n# /// script\n# dependencies = [\n#     \"orchard-map>=2\",\n# ]\n# ///\n\nprint()\n"},
		{"a new block behind a byte order mark", string(project.NewBlock([]byte("\ufeff#!/bin/x\r\nprint()\r\n"))), "\ufeff#!/bin/x\r\n# /// script\r\n# dependencies = [\r\n#     \"orchard-map>=2\",\r\n# ]\r\n# ///\r\n\r\nprint()\r\n"},
		{"the first line, behind a byte order mark", "\ufeff# /// script\n# dependencies = []\n# ///\n", "\ufeff# /// script\n# dependencies = [\n#     \"orchard-map>=2\",\n# ]\n# ///\n"},
		{"a new block in an empty file", string(project.NewBlock(nil)), "# /// script\n# dependencies = [\n#     \"orchard-map>=2\",\n# ]\n# ///\n"},
	} {
		s, err := project.ParseScript("tally.py", []byte(c.before))
		require.NoError(t, err, c.name)
		text, err := s.Edit([]string{"orchard-map>=2"}, []string{"Brixmeter"})
		require.NoError(t, err, c.name)
		assert.Equal(t, c.after, string(text), c.name)
	}
}

// A script's record has a name that the standard allows, that is no jar's, and no other script's.
func TestScriptRecords(t *testing.T) {
	seen := map[string]string{}
	for _, name := range []string{"tally.py", "tally", "a.b.py", "a+b.py", "a=+b.py", "a+.b.py", "a.+b.py", "a=.b.py"} {
		record := project.ScriptRecord(name)
		assert.Regexp(t, `^pylock\.[^.]+\.toml$`, record)
		assert.Empty(t, seen[record], "%s and %s", name, seen[record])
		seen[record] = name
		if strings.Contains(name, ".") {
			assert.Equal(t, name, project.RecordedScript(record))
		}
	}
	assert.Equal(t, "pylock.a+b+py.toml", project.ScriptRecord("a.b.py"))
}

func FuzzScript(f *testing.F) {
	f.Add("# /// script\n# dependencies = ['a']\n# ///\n")
	f.Add("# /// script\r\n# [tool.glassjar]\r\n# held = {}\r\n# ///\r\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := project.ParseScript("a.py", []byte(text))
		if err != nil {
			return
		}
		edited, err := s.Edit([]string{"must-core"}, nil)
		if err != nil {
			return
		}
		again, err := project.ParseScript("a.py", edited)
		require.NoError(t, err)
		assert.NotEmpty(t, again.Asked)
	})
}
