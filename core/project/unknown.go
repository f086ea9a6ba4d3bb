package project

import (
	"bytes"
	"slices"

	"github.com/pelletier/go-toml/v2/unstable"

	"glassjar/core/tomltext"
)

// The tables of a pyproject.toml, and the keys of its [project] (the specifications "pyproject.toml",
// "Dependency groups" and PEP 794).
var (
	standardTables = []string{"build-system", "dependency-groups", "project", "tool"}
	projectKeys    = []string{"authors", "classifiers", "dependencies", "description", "dynamic", "entry-points", "gui-scripts", "import-names", "import-namespaces",
		"keywords", "license", "license-files", "maintainers", "name", "optional-dependencies", "readme", "requires-python", "scripts", "urls", "version"}
)

// UnknownKey is a key that counts for nothing, since the standard does not have it.
type UnknownKey struct {
	// Key is the key, with its table; Line is where it stands, from 1.
	Key  string
	Line int
	// Near is the key that may be meant, or empty.
	Near string
}

// Unknown are the keys of a spec that the standard does not have: a slip of the pen, or what a merge
// line by line has put into another table.
func (s *Spec) Unknown() []UnknownKey {
	var out []UnknownKey
	if s.Script != "" {
		return nil // its block was read as strictly as it is written
	}
	tomltext.Walk(s.Text, func(path []string, keyEnd int, _ *unstable.Node) bool {
		key, known, table := path[0], standardTables, ""
		if key == "project" && len(path) > 1 {
			key, known, table = path[1], projectKeys, "project."
		}
		if slices.Contains(known, key) || len(out) > 0 && out[len(out)-1].Key == table+key {
			return false
		}
		u := UnknownKey{Key: table + key, Line: bytes.Count(s.Text[:keyEnd], []byte("\n")) + 1}
		if near := Nearest(key, known); near != "" {
			u.Near = table + near
		} else if slices.Contains(projectKeys, key) {
			u.Near = "project." + key
		}
		out = append(out, u)
		return false
	})
	return out
}
