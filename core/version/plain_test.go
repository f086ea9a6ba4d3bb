package version_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
	_ "glassjar/internal/long"
)

// A plain release is read in a quicker way than others: both give the same.
func TestPlainReleases(t *testing.T) {
	for text, want := range map[string]string{"1": "1", "1.0": "1.0", "01.002": "1.2", "0": "0", "000": "0", "2024.11.5": "2024.11.5",
		"99999999999999999999999.1": "99999999999999999999999.1"} {
		plain, err := version.Parse(text)
		require.NoError(t, err, text)
		other, err := version.Parse("v" + text) // which the quicker way does not take
		require.NoError(t, err, text)
		assert.Equal(t, want, plain.String(), text)
		assert.Equal(t, other.String(), plain.String(), text)
		assert.True(t, plain.Equal(other), text)
		assert.Equal(t, other.Release(), plain.Release(), text)
		assert.Equal(t, other.Epoch(), plain.Epoch(), text)
		assert.False(t, plain.IsPrerelease(), text)
	}
	for _, text := range []string{"", ".", "1.", ".1", "1..2", "1 .2", "١.٢"} {
		_, err := version.Parse(text)
		assert.Error(t, err, "%q", text)
	}
}

// The operator is the longest that a clause begins with.
func TestOperators(t *testing.T) {
	for text, want := range map[string][2]string{"==1": {"==", "1"}, "===1": {"===", "1"}, "~=1.2": {"~=", "1.2"}, "!= 1.*": {"!=", "1"}, "<=2": {"<=", "2"},
		" < 2 ": {"<", "2"}, ">3": {">", "3"}, ">=\t3.1": {">=", "3.1"}} {
		s, err := version.ParseSpecifier(text)
		require.NoError(t, err, text)
		assert.Equal(t, want[0], s.Operator(), text)
		assert.Equal(t, want[1], s.Version().String(), text)
		assert.Equal(t, strings.Contains(text, ".*"), s.Wildcard(), text)
	}
	for _, text := range []string{"", "1.0", "=1", "=>1", "~1", "=", "====1 2", ">= ", ">=1\n2", "@1"} {
		_, err := version.ParseSpecifier(text)
		assert.Error(t, err, "%q", text)
	}
}

// Versions of a set are found in a list in whatever order it is.
func TestSortedInAnyOrder(t *testing.T) {
	texts := []string{"3.0", "2.1", "2.0", "2.0rc1", "1.5", "1.0", "1.0a2", "0.9"}
	set := version.MustParseSpecifiers(">=1.0,<2.1")
	r := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		r.Shuffle(len(texts), func(i, j int) { texts[i], texts[j] = texts[j], texts[i] })
		var list []version.Version
		for _, text := range texts {
			list = append(list, version.MustParse(text))
		}
		var found []string
		version.NewSorted(list).Each(set.Set(), func(at int) { found = append(found, texts[at]) })
		for _, text := range texts {
			v := version.MustParse(text)
			assert.Equal(t, set.Set().Contains(v), strings.Contains(" "+strings.Join(found, " ")+" ", " "+text+" "), "%s in %v", text, texts)
		}
	}
}
