package requirement_test

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/vectors"
	"glassjar/core/requirement"
)

func TestRequirementVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Requirements {
		r, err := requirement.Parse(c.In)
		if !c.Valid {
			var bad *requirement.ParseError
			assert.ErrorAs(t, err, &bad, "%q", c.In)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, c.Name, r.Name)
		assert.Equal(t, c.NormalizedName, r.Key())
		assert.Equal(t, c.Extras, append([]string{}, r.Extras...), c.In)
		assert.Equal(t, c.Specifier, r.Specifiers.String(), c.In)
		assert.Equal(t, vectors.Text(c.URL), r.URL, c.In)
		assert.Equal(t, vectors.Text(c.Marker), r.Marker.String(), c.In)
		again, err := requirement.Parse(r.String())
		require.NoError(t, err, r.String())
		assert.Equal(t, r.String(), again.String())
	}
}

func TestMarkerVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Markers {
		m, err := requirement.ParseMarker(c.Marker)
		require.NoError(t, err, c.Marker)
		var extras []string
		if c.Extra != "" {
			extras = []string{c.Extra}
		}
		assert.Equal(t, c.Result, m.Holds(c.Env, extras...), "%s with extra %q in %v", c.Marker, c.Extra, c.Env)
	}
}

func TestNameVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Names {
		assert.Equal(t, c.Valid, requirement.ValidName(c.In), c.In)
		if c.Valid {
			assert.Equal(t, c.Normalized, requirement.Normalize(c.In))
		}
	}
}

func TestErrorsPointAtTheColumn(t *testing.T) {
	for text, want := range map[string]struct {
		column   int
		expected string
	}{
		"":                               {1, "a distribution's name"},
		"press-":                         {1, "a distribution's name"},
		"press schedule":                 {7, "a version specifier such as >=1.0, '@' with an address, ';' with a marker, or the end"},
		"press[must":                     {11, "',' or ']'"},
		"press>=1, <two":                 {11, "a version specifier such as >=1.0"},
		"press (>=1":                     {11, "')'"},
		"press @ ":                       {9, "an address"},
		"press @ https://a.example/x b":  {29, "';' with a marker, or the end"},
		"press; python > '3'":            {8, "a marker variable such as python_version, or a quoted string"},
		"press; os_name is 'nt'":         {16, "a comparison: == != <= >= < > ~= === in, not in"},
		"press; os_name == 'nt":          {22, "the closing quote '"},
		"press; (os_name == 'nt'":        {24, "'and', 'or' or ')'"},
		"press; os_name == 'nt' os_name": {24, "'and', 'or', or the end"},
	} {
		_, err := requirement.Parse(text)
		var bad *requirement.ParseError
		if assert.True(t, errors.As(err, &bad), text) {
			assert.Equal(t, want.column, bad.Column, text)
			assert.Equal(t, want.expected, bad.Expected, text)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add("press[a,b]>=1.0,<2; (python_version > '3' or os_name in \"nt posix\") and extra == 'x'")
	f.Add("press @ https://a.example/x ; 'a' not in os_name")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := requirement.Parse(text)
		if err != nil {
			return
		}
		again, err := requirement.Parse(r.String())
		require.NoError(t, err, r.String())
		require.Equal(t, r.String(), again.String())
		simple := r.Marker.Simplify()
		env := requirement.Environment{"os_name": "nt", "python_version": "3.9", "python_full_version": "3.9.1", "sys_platform": "win32", "platform_system": "Windows"}
		require.Equal(t, r.Marker.Holds(env, "x"), simple.Holds(env, "x"), "%s became %s", r.Marker, simple)
	})
}

func TestOneFormWhateverTheSpacing(t *testing.T) {
	for in, want := range map[string]string{
		"press":                                              "press",
		" Press_Tool [ b , a , b ] (>= 1, <2)":               "Press_Tool[a,b]<2,>=1",
		"press@https://a.example/x":                          "press @ https://a.example/x",
		"press @ https://a.example/x ; os_name=='nt'":        `press @ https://a.example/x ; os_name == "nt"`,
		"press;os_name=='nt'and(os_name<'x')":                `press; os_name == "nt" and os_name < "x"`,
		"press ; 'a \"b\"' == os_name":                       `press; 'a "b"' == os_name`,
		"press; os.name == 'nt' and sys.platform == 'win32'": `press; os_name == "nt" and sys_platform == "win32"`,
	} {
		r, err := requirement.Parse(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, r.String(), in)
	}
	r := requirement.MustParse("Press_Tool[B_c,a.B]")
	assert.Equal(t, "press-tool", r.Key())
	assert.Equal(t, []string{"a-b", "b-c"}, r.ExtraKeys())
}

func TestMembershipMarkers(t *testing.T) {
	m := requirement.MustParseMarker(`"Test_Tools" in dependency_groups or "charts" in extras`)
	for _, c := range []struct {
		extras, groups []string
		want           bool
	}{{nil, nil, false}, {nil, []string{"test-tools"}, true}, {[]string{"Charts"}, nil, true}, {[]string{"other"}, []string{"other"}, false}} {
		assert.Equal(t, c.want, m.HoldsIn(nil, c.extras, c.groups), "%v %v", c.extras, c.groups)
	}
	not := requirement.MustParseMarker(`"charts" not in extras`)
	assert.True(t, not.HoldsIn(nil, nil, nil))
	assert.False(t, not.HoldsIn(nil, []string{"charts"}, nil))
	assert.True(t, requirement.MustParseMarker(`extra == "a"`).UsesExtra())
	assert.False(t, m.UsesExtra())
	for text, want := range map[string]bool{"": false, `extra == "a"`: false, `extra == "a" and "b" == extra`: false, `extra == "a" and os_name == "nt"`: true, `"3.12" <= python_version`: true} {
		assert.Equal(t, want, requirement.MustParseMarker(text).UsesEnvironment(), text)
	}
}

// Nesting is bounded, so that hostile text cannot exhaust the stack.
func TestNestingIsBounded(t *testing.T) {
	nested := func(depth int) string {
		return strings.Repeat("(", depth) + `os_name == "nt"` + strings.Repeat(")", depth)
	}
	_, err := requirement.ParseMarker(nested(100))
	assert.NoError(t, err)
	for _, depth := range []int{250, 1_000_000} {
		_, err = requirement.ParseMarker(nested(depth))
		assert.Error(t, err, depth)
	}
}

// What was probably meant is a requirement, or nothing is offered.
func TestMeant(t *testing.T) {
	for text, want := range map[string]string{
		"press=2": "press==2", "press:2.1": "press==2.1", "press @v2": "press==2", "press[hot] 2": "press[hot]==2",
		"press==latest": "press", "press@newest": "press", "press==2.x": "press==2.*", "press^2.1": "press>=2.1,<3",
		"press>2 <3": "press>2,<3", "press=>2": "press>=2", `"press"`: "press", "press;": "press",
		"press cider": "", "press>=": "", "press~2": "", "@orchard/press": "", "": "", "press @ cider": "", "press=2=3": "",
	} {
		assert.Equal(t, want, requirement.Meant(text), text)
	}
}
