package version_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
)

// One line of the standard's own order, from the first to the last.
func TestOrderOfTheStandard(t *testing.T) {
	ordered := []string{
		"0.9", "1.dev0", "1.0.dev456", "1.0a1", "1.0a2.dev456", "1.0a12.dev456", "1.0a12", "1.0b1.dev456", "1.0b2",
		"1.0b2.post345.dev456", "1.0b2.post345", "1.0rc1.dev456", "1.0rc1", "1.0", "1.0+abc.5", "1.0+abc.7", "1.0+5",
		"1.0.post456.dev34", "1.0.post456", "1.0.15", "1.1.dev1", "1.10", "2", "1!0.1",
	}
	for i, a := range ordered {
		for j, b := range ordered {
			v, w := version.MustParse(a), version.MustParse(b)
			assert.Equal(t, i < j, v.Less(w), "%s before %s", a, b)
			assert.Equal(t, i == j, v.Equal(w), "%s and %s", a, b)
		}
	}
}

func TestNormalForms(t *testing.T) {
	for in, want := range map[string]string{
		"1.1RC1": "1.1rc1", "1.00": "1.0", "v1.0": "1.0", "1.1.a1": "1.1a1", "1.1-a1": "1.1a1", "1.1alpha_1": "1.1a1", "1.1beta": "1.1b0",
		"1.1c3": "1.1rc3", "1.1preview2": "1.1rc2", "1.2.post2": "1.2.post2", "1.2-2": "1.2.post2", "1.2.r4": "1.2.post4", "1.2rev": "1.2.post0",
		"1.2.dev": "1.2.dev0", "1.0+ubuntu-1": "1.0+ubuntu.1", "1.0+Ubuntu_01": "1.0+ubuntu.1", "0!1.0": "1.0", "01!2": "1!2", " 1.0\n": "1.0",
	} {
		v, err := version.Parse(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, v.String(), in)
	}
}

func TestSpecifierFaults(t *testing.T) {
	for text, says := range map[string]string{
		"1.0": "begin with", "=1.0": "begin with", "~=1": "at least two numbers", ">=1.*": "only == and !=", "==1.0a1.*": "after a release alone",
		"==1.0+x.*": "after a release alone", ">=1+x": "local version", "===": "one word", "===a b": "one word", ">=": "not a specifier", "==one": "not a specifier",
	} {
		_, err := version.ParseSpecifier(text)
		assert.ErrorContains(t, err, says, text)
		assert.ErrorIs(t, err, version.ErrInvalid, text)
	}
	for _, text := range []string{">=1,,<2", ",>=1", ","} {
		_, err := version.ParseSpecifiers(text)
		assert.Equal(t, text != ",", err != nil, text)
	}
	for text, means := range map[string]string{">=1,": ">=1", "==1.2, ": "==1.2", ">=3.6.*": ">=3.6", "<4.*": "<4", "<=3.8.*": "<3.9", ">2.7.*": ">=2.8",
		"(>=1.0,)": ">=1.0", "2.5": "==2.5.*", "1.0a1": "==1.0a1", `>="3.7"`: ">=3.7", ">=1.0,!=1.3.*": "!=1.3.*,>=1.0"} {
		ss, err := version.ParseLegacySpecifiers(text)
		assert.NoError(t, err, text)
		assert.Equal(t, means, ss.String(), text)
	}
	for _, text := range []string{">dev", "three", ">=1 <2", ">=1,,<2"} {
		_, err := version.ParseLegacySpecifiers(text)
		assert.ErrorIs(t, err, version.ErrInvalid, text)
	}
}

func TestWrittenKeepsTheOrder(t *testing.T) {
	ss := version.MustParseSpecifiers(" >= 1.0 , <2, !=1.5.* ")
	assert.Equal(t, ">=1.0,<2,!=1.5.*", ss.Written())
	assert.Equal(t, "!=1.5.*,<2,>=1.0", ss.String())
	assert.Equal(t, "", version.Specifiers(nil).Written())
	assert.Equal(t, "", version.Specifiers(nil).String())
}

func TestSortedPicksThoseOfASet(t *testing.T) {
	var list []version.Version
	for _, text := range []string{"2.0", "1.0", "1.0rc1", "1.5", "3.0.dev1", "1.0+x", "0.9"} {
		list = append(list, version.MustParse(text))
	}
	sorted := version.NewSorted(list)
	for _, spec := range []string{"", ">=1", "<1.5", "==1.0", "!=1.0", "==1.*", ">1", "~=1.0", ">=3.0.dev0", "<0.1", ">=1.0rc1,<2"} {
		ss := version.MustParseSpecifiers(spec)
		picked := map[int]bool{}
		sorted.Each(ss.Set(), func(i int) { picked[i] = true })
		for i, v := range list {
			assert.Equal(t, ss.Holds(v), picked[i], "%s in %q", v, spec)
		}
	}
}

func TestText(t *testing.T) {
	data, err := json.Marshal(map[string]version.Version{"v": version.MustParse("1.0-1")})
	require.NoError(t, err)
	assert.Equal(t, `{"v":"1.0.post1"}`, string(data))
	var back map[string]version.Version
	require.NoError(t, json.Unmarshal(data, &back))
	assert.True(t, back["v"].Equal(version.MustParse("1.0.post1")))
	assert.Error(t, json.Unmarshal([]byte(`{"v":"one"}`), &back))
	assert.True(t, version.Version{}.IsZero())
}
