package catalog_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
)

func TestUnknownNames(t *testing.T) {
	first, second := newStall(t, "orchard"), newStall(t, "valley")
	first.sell("press_tools-1.0-py3-none-any.whl", ".presstools/__init__.py")
	second.sell("cider-1.0-py3-none-any.whl")
	c := open(t, first, second)
	assert.NoError(t, c.CheckNames(ctx, []string{"press-tools", "cider"}, false))
	again := open(t, first, second)
	again.Indexes.Pins["cider"] = "orchard"
	err := again.CheckNames(ctx, []string{"pres-tools", "presstools", "cider", "presstools"}, true)
	var unknown *catalog.UnknownNamesError
	require.True(t, errors.As(err, &unknown), err)
	assert.Equal(t, []string{"pres-tools", "presstools", "cider"}, unknown.Names)
	assert.Equal(t, []string{"press-tools"}, unknown.Near["pres-tools"])
	assert.Equal(t, []string{"press-tools"}, unknown.ImportedFrom["presstools"])
	assert.Equal(t, map[string]string{"cider": "orchard"}, unknown.Pinned)
	assert.Equal(t, map[string][]string{"cider": {"valley"}}, unknown.Elsewhere)
	assert.Equal(t, []string{"orchard", "valley"}, unknown.Indexes)
	assert.True(t, unknown.SampleOnly)
}

func TestWhatIsInside(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press_tools-1.0-py3-none-any.whl", ".presstools/__init__.py", ".press_tools-1.0.data/scripts/weigh")
	s.sell("presstools_extra-1.0-py3-none-any.whl", ".presstools/extra/__init__.py")
	s.sell("cider-1.0-py3-none-any.whl", ".cider.py")
	s.files["cider"][0].Yanked = true
	c := open(t, s)
	assert.Equal(t, []catalog.Supplier{{Name: "press-tools", Version: "1.0", Index: "orchard", Via: "presstools"}}, c.WithModule(ctx, "presstools.plan"))
	assert.Equal(t, []string{"press-tools"}, catalog.SupplierNames(c.WithCommand(ctx, "weigh")))
	assert.Empty(t, c.WithModule(ctx, "cider"), "its only file is withdrawn")
	looks := s.looks
	again := open(t, s)
	again.Cache = c.Cache
	in, err := again.Inside(ctx, s.files["press-tools"][0])
	require.NoError(t, err)
	assert.Equal(t, []string{"weigh"}, in.Scripts)
	assert.Equal(t, looks, s.looks, "it was looked into again")
}

func TestImportedAs(t *testing.T) {
	for _, c := range []struct {
		module, want string
		imports      []string
	}{
		{"press", "press", []string{"press"}},
		{"press.plan", "press", []string{"press"}},
		{"orchard_tools.hives", "orchard_tools.hives", []string{"orchard_tools.hives"}},
		{"orchard_tools", "orchard_tools.hives", []string{"orchard_tools.hives"}},
		{"press", "", []string{"pressing", "my.press"}},
	} {
		assert.Equal(t, c.want, catalog.ImportedAs(c.module, c.imports), c.module)
	}
}

// On a server only names that resemble the word are looked into.
func TestResembling(t *testing.T) {
	names := []string{"apple", "sugarcurve-tools", "sugarcurve", "sugarcurve-py", "python-sugarcurve"}
	assert.Equal(t, []string{"sugarcurve", "python-sugarcurve", "sugarcurve-py", "sugarcurve-tools"}, catalog.Resembling("sugarcurve.plot", names)[:4])
	assert.Empty(t, catalog.Resembling("x", []string{"x"}))
}
