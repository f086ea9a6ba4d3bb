package version_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/vectors"
	"glassjar/core/version"
)

func TestVersionVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Versions {
		v, err := version.Parse(c.In)
		if !c.Valid {
			assert.Error(t, err, "%q", c.In)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, c.Normalized, v.String(), c.In)
		assert.Equal(t, c.Public, v.Public(), c.In)
		assert.Equal(t, c.Base, v.Base(), c.In)
		assert.Equal(t, vectors.Text(c.Local), v.Local(), c.In)
		assert.Equal(t, c.IsPrerelease, v.IsPrerelease(), c.In)
		assert.Equal(t, c.IsPostrelease, v.IsPostrelease(), c.In)
		assert.Equal(t, c.IsDevrelease, v.IsDevrelease(), c.In)
		if c.Epoch != "" {
			assert.Equal(t, c.Epoch.String(), v.Epoch(), c.In)
			var release []string
			for _, n := range c.Release {
				release = append(release, n.String())
			}
			assert.Equal(t, release, v.Release(), c.In)
		}
	}
}

func TestOrderingVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Orderings {
		for i, a := range c.Versions {
			for j, b := range c.Versions {
				want := 0
				if c.Kind == "increasing" {
					want = min(1, max(-1, i-j))
				}
				assert.Equal(t, want, version.MustParse(a).Compare(version.MustParse(b)), "%s and %s", a, b)
			}
		}
	}
}

func TestSpecifierVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Specifiers {
		ss, err := version.ParseSpecifiers(c.Spec)
		if !c.Valid {
			assert.Error(t, err, "%q", c.Spec)
			continue
		}
		require.NoError(t, err)
		v := version.MustParse(c.Version)
		assert.Equal(t, c.ContainsPre, ss.Holds(v), "%s in %q", v, c.Spec)
		assert.Equal(t, c.ContainsPre, ss.Set().Contains(v), "%s in the set of %q", v, c.Spec)
		if c.Contains != nil {
			assert.Equal(t, *c.Contains, ss.Admits(v), "%s in %q by default", v, c.Spec)
		}
	}
}

func TestFilterVectors(t *testing.T) {
	for _, c := range vectors.Load(t).Filters {
		var in []version.Version
		written := map[string][]string{}
		for _, text := range c.Versions {
			v := version.MustParse(text)
			in = append(in, v)
			written[v.String()] = append(written[v.String()], text)
		}
		accepted := []string{}
		for _, v := range version.MustParseSpecifiers(c.Spec).Filter(in) {
			same := written[v.String()]
			accepted = append(accepted, same[0])
			written[v.String()] = same[1:]
		}
		assert.Equal(t, c.Accepted, accepted, c.Spec)
	}
}
