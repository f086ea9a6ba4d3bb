package connect

import (
	"path"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/tomltext"
)

// WorkspaceFile is where editors whose settings are JSON with comments keep those
// of a folder.
const WorkspaceFile = ".vscode/settings.json"

// WorkspaceKeys are the keys that such an editor finds an interpreter by. folder
// is the jar's, below the project's.
func WorkspaceKeys(folder string, l jar.Layout) []Key {
	at := "${workspaceFolder}/" + path.Join(folder, l.Python())
	return []Key{
		{Path: []string{"python.defaultInterpreterPath"}, Value: JSONText(at)},
		{Path: []string{"python.analysis.extraPaths"}, Value: "[" + JSONText("${workspaceFolder}/"+path.Join(folder, l.Site())) + "]"},
		{Path: []string{"python.terminal.activateEnvironment"}, Value: "true"},
	}
}

// ServerKeys are the keys in pyproject.toml by which language servers and type
// checkers find a jar: those of one always, of others where they are set up
// already.
func ServerKeys(text []byte, folder string, l jar.Layout, minor string) []Key {
	keys := []Key{
		{Path: []string{"tool", "pyright", "extraPaths"}, Value: tomltext.Strings([]string{path.Join(folder, l.Site())})},
		{Path: []string{"tool", "pyright", "pythonVersion"}, Value: tomltext.String(minor)},
	}
	for _, other := range []struct{ table, key string }{{"mypy", "python_executable"}, {"pyrefly", "python-interpreter-path"}} {
		if strings.Contains(string(text), "[tool."+other.table+"]") {
			keys = append(keys, Key{Path: []string{"tool", other.table, other.key}, Value: tomltext.String(path.Join(folder, l.Python()))})
		}
	}
	return keys
}
