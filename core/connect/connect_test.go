package connect_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/pelletier/go-toml/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/connect"
	"glassjar/core/jar"
	_ "glassjar/internal/long"
)

var layout = jar.Layout{OS: "linux", Implementation: "cpython", Major: 3, Minor: 12, Library: "lib"}

// Keys are added and changed; what stands around them stays, comments too.
func TestSetJSON(t *testing.T) {
	key := func(name, value string) connect.Key { return connect.Key{Path: []string{name}, Value: value} }
	for _, c := range []struct {
		what, text, want string
		keys             []connect.Key
	}{
		{"no file", "", "{\n    \"a\": 1\n}\n", []connect.Key{key("a", "1")}},
		{"an empty object", "{}", "{\n    \"a\": 1\n}", []connect.Key{key("a", "1")}},
		{"a comment and two blanks", "{\n  // mine\n  \"x\": 0\n}\n", "{\n  // mine\n  \"x\": 0,\n  \"a\": \"b\"\n}\n", []connect.Key{key("a", `"b"`)}},
		{"a value is changed", "{\n\t\"a\": [1, 2], // two\n\t\"b\": 3\n}\n", "{\n\t\"a\": true, // two\n\t\"b\": 3\n}\n", []connect.Key{key("a", "true")}},
		{"a name with dots", "{ \"x.y\": 1 }\n", "{ \"x.y\": 2 }\n", []connect.Key{key("x.y", "2")}},
		{"a name with a slash", "{ \"a/b\": 1 }\n", "{ \"a/b\": 2 }\n", []connect.Key{key("a/b", "2")}},
	} {
		got, keys, err := connect.SetJSON([]byte(c.text), c.keys)
		require.NoError(t, err, c.what)
		assert.Equal(t, c.want, string(got), c.what)
		have, ok := connect.GetJSON(got, keys[0].Path[0])
		assert.True(t, ok, c.what)
		assert.Equal(t, c.keys[0].Value, have, c.what)
		again, _, err := connect.SetJSON(got, c.keys)
		require.NoError(t, err)
		assert.Equal(t, string(got), string(again), "%s, twice", c.what)
	}
	_, keys, err := connect.SetJSON([]byte(`{"a": {"b": 1}}`), []connect.Key{key("a", "1"), key("c", "2")})
	require.NoError(t, err)
	assert.JSONEq(t, `{"b": 1}`, *keys[0].Before)
	assert.Nil(t, keys[1].Before)
	for _, bad := range []string{"{", "[1]", "nonsense"} {
		_, _, err := connect.SetJSON([]byte(bad), []connect.Key{key("a", "1")})
		assert.Error(t, err, bad)
		_, ok := connect.GetJSON([]byte(bad), "a")
		assert.False(t, ok)
	}
	dropped, err := connect.DropJSON([]byte("{\n  // mine\n  \"a\": 1,\n  \"b\": 2\n}\n"), "b")
	require.NoError(t, err)
	assert.NotContains(t, string(dropped), `"b"`)
	assert.Contains(t, string(dropped), "// mine")
	same, err := connect.DropJSON([]byte(`{"a": 1}`), "z")
	require.NoError(t, err)
	assert.Equal(t, `{"a": 1}`, string(same))
}

func TestServerKeys(t *testing.T) {
	text := []byte("[project]\nname = \"x\"\n\n[tool.pyrefly]\nstrict = true\n")
	after, keys := connect.SetTOML(text, connect.ServerKeys(text, ".jar", layout, "3.12"))
	assert.Len(t, keys, 3)
	var read struct {
		Tool map[string]map[string]any
	}
	require.NoError(t, toml.Unmarshal(after, &read))
	assert.Equal(t, ".jar/bin/python", read.Tool["pyrefly"]["python-interpreter-path"])
	assert.Equal(t, []any{".jar/lib/python3.12/site-packages"}, read.Tool["pyright"]["extraPaths"])
	assert.Equal(t, true, read.Tool["pyrefly"]["strict"])
	for _, k := range connect.WorkspaceKeys(".jar", layout) {
		assert.True(t, json.Valid([]byte(k.Value)), k.Path)
	}
}

// The files for an image say what the specification asks for, and leave no
// place-holder.
func TestContainerFiles(t *testing.T) {
	files := connect.Container{Name: `the "press"`, Base: "orchard/base:1", Record: "pylock.toml", Files: []string{"pylock.toml", "wheels/a b.whl", "wheels/c.whl"}, Groups: []string{"test"}, Extras: []string{"charts"}}.Write()
	texts := map[string]string{}
	for _, f := range files {
		texts[f.Path] = f.Text
		assert.Contains(t, f.Text, connect.Mark, f.Path)
		assert.NotRegexp(t, `@[A-Z]+@`, f.Text, f.Path)
	}
	build := texts["Containerfile"]
	order := []string{"FROM ${BASE}", "COPY container/glassjar", "USER 10001:10001", `COPY --chown=10001:10001 ["pylock.toml", "/opt/glassjar/record/"]`, `COPY --chown=10001:10001 ["wheels/a b.whl", "wheels/c.whl", "/opt/glassjar/record/wheels/"]`, "recreate --from /opt/glassjar/record/pylock.toml --group test --extra charts",
		"rm -rf /tmp/glassjar", "COPY --chown=10001:10001 . /work"}
	at := 0
	for _, step := range order {
		next := strings.Index(build[at:], step)
		require.GreaterOrEqual(t, next, 0, "%s does not follow", step)
		at += next
	}
	_, plain, _ := strings.Cut(texts[".devcontainer/devcontainer.json"], "\n")
	var dev struct {
		Name       string
		Build      struct{ Dockerfile, Context string }
		RemoteUser string            `json:"remoteUser"`
		RemoteEnv  map[string]string `json:"remoteEnv"`
	}
	require.NoError(t, json.Unmarshal([]byte(plain), &dev))
	assert.Equal(t, `the "press"`, dev.Name)
	assert.Equal(t, "../Containerfile", dev.Build.Dockerfile)
	assert.Equal(t, "/opt/glassjar/jar", dev.RemoteEnv["VIRTUAL_ENV"])
}
