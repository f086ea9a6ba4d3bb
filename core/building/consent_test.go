package building_test

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/building"
	"glassjar/core/catalog"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/source"
	"glassjar/core/store"
	_ "glassjar/internal/long"
)

func TestMain(m *testing.M) {
	source.Main()
	os.Exit(m.Run())
}

// orchard is a building of a project whose spec consents to pomace.
func orchard(t *testing.T, file, spec string, with func(*building.Consents)) *building.Building {
	dir := filepath.Dir(file)
	read, err := project.ParseSpec(filepath.Join(dir, "pyproject.toml"), []byte(spec))
	require.NoError(t, err)
	c := &building.Consents{File: file, Of: dir, Spec: read}
	if with != nil {
		with(c)
	}
	return newBuilding(t, c)
}

// newBuilding is one in which nothing is built: no interpreter is started.
func newBuilding(t *testing.T, c *building.Consents) *building.Building {
	dir := t.TempDir()
	on := building.Machine{Dir: dir, Store: &store.Store{Dir: dir}, Kept: source.Kept{Dir: filepath.Join(dir, "built")}, Work: filepath.Join(dir, "builds"), Now: time.Now,
		Catalog: func(*index.Ordered) *catalog.Catalog { return &catalog.Catalog{} }}
	return building.New(on, interpreter.Interpreter{}, (&catalog.Catalog{Store: on.Store}).Use(&index.Ordered{}), c, nil)
}

// sourceFolder is a folder with version 1.0 of a distribution.
func sourceFolder(t *testing.T, name, buildSystem string) index.File {
	dir := t.TempDir()
	text := "[project]\nname = \"" + name + "\"\nversion = \"1.0\"\n[build-system]\n" + buildSystem
	require.NoError(t, os.WriteFile(filepath.Join(dir, "pyproject.toml"), []byte(text), 0o644))
	return index.File{Distribution: name, Tree: &index.Tree{Folder: dir}}
}

const consenting = "[tool.glassjar]\nbuild-consent = [\"Pomace\"]\n"

// The spec alone gives no consent: it comes with a cloned folder. Who has said yes once is not asked
// again, until what runs changes.
func TestConsent(t *testing.T) {
	file := filepath.Join(t.TempDir(), "consents.json")
	for _, c := range []struct {
		why, spec string
		with      func(*building.Consents)
		may       bool
	}{
		{"a name that nobody has consented to is built by nobody", "", nil, false},
		{"a flag or a setting of the user's does", "", func(c *building.Consents) { c.Yes = []string{"POMACE"} }, true},
		{"it is not kept", "", nil, false},
		{"whom the spec names is named on the command line", consenting, func(c *building.Consents) { c.Named = map[string]bool{"pomace": true} }, true},
		{"that is kept", consenting, nil, true},
		{"it holds for this project only", consenting, func(c *building.Consents) { c.Of = t.TempDir() }, false},
		{"what is set for the build has changed", consenting + "[tool.glassjar.build-variables.pomace]\nPRESS = \"2\"\n", nil, false},
	} {
		may, err := orchard(t, file, c.spec, c.with).MayBuild(t.Context(), "pomace")
		var no *building.NoConsentError
		if errors.As(err, &no) {
			assert.True(t, no.InSpec, c.why)
			assert.Equal(t, []string{"pomace"}, no.Names, c.why)
			err, may = nil, false
		}
		require.NoError(t, err, c.why)
		assert.Equal(t, c.may, may, c.why)
	}
}

// Names that somebody says yes to when asked are written into the spec.
func TestAsking(t *testing.T) {
	file := filepath.Join(t.TempDir(), "consents.json")
	var asked []building.Question
	answer := true
	b := orchard(t, file, "", func(c *building.Consents) {
		c.Ask = func(q building.Question) (bool, error) { asked = append(asked, q); return answer, nil }
	})
	press := sourceFolder(t, "press", "requires = [\"mill\"]\nbuild-backend = \"mill.build\"\n")
	ready, err := b.Ready(t.Context(), press)
	require.NoError(t, err)
	assert.Equal(t, "1.0", ready.Version.String())
	assert.NotEmpty(t, ready.SHA256())
	require.Len(t, asked, 1)
	assert.Equal(t, []any{"press", "mill.build", []string{"mill"}, false}, []any{asked[0].Name, asked[0].BackEnd, asked[0].Requires, asked[0].Own})
	_, err = b.Ready(t.Context(), press)
	require.NoError(t, err)
	assert.Len(t, asked, 1, "nobody is asked twice")
	text, err := b.SpecText([]byte("[project]\nname = \"x\"\n"))
	require.NoError(t, err)
	assert.Contains(t, string(text), `build-consent = ["press"]`)

	answer = false
	_, err = b.Ready(t.Context(), sourceFolder(t, "cider", ""))
	var no *building.NoConsentError
	require.ErrorAs(t, err, &no)
	assert.True(t, no.Declined)

	gone := sourceFolder(t, "must", "")
	require.NoError(t, os.RemoveAll(gone.Tree.Folder))
	_, err = b.Ready(t.Context(), gone)
	var nothing *building.NoFolderError
	require.ErrorAs(t, err, &nothing)
	assert.Equal(t, gone.Tree.Folder, nothing.Folder)
}

func TestSourceOnly(t *testing.T) {
	fact := func(name string, unfit int) resolve.Fact { return resolve.Fact{Name: name, Unfit: unfit} }
	err := &plan.SolveError{Failure: &resolve.Failure{Facts: []resolve.Fact{fact("press", resolve.SourceOnly), fact("cider", resolve.Python), fact("mill", resolve.SourceOnly), fact("press", resolve.SourceOnly)}}}
	assert.Equal(t, []string{"mill", "press"}, building.SourceOnly(err))
	assert.Empty(t, building.SourceOnly(errors.New("another")))
}
