package catalog_test

import (
	"crypto/sha256"
	"encoding/hex"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
	_ "glassjar/internal/long"
)

// What is likely to be chosen is asked for ahead: what is kept, else the newest that fits.
func TestExpect(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl")
	s.sell("press-2.0-py3-none-any.whl")
	s.sell("press-3.0-cp312-cp312-win_amd64.whl")
	for keep, want := range map[string]string{"": "2.0", "1.0": "1.0", "0.9": "2.0"} {
		c := open(t, s)
		p := &catalog.Provider{Catalog: c, Environment: linux(), Context: ctx}
		if keep != "" {
			p.Keep = map[string]version.Version{"press": version.MustParse(keep)}
		}
		before := s.metas
		p.Expect([]resolve.Need{{Name: "press"}, {Name: "cider"}})
		require.Equal(t, before+1, s.metas, keep)
		_, err := p.Needs(ctx, "press", "", version.MustParse(want))
		require.NoError(t, err)
		assert.Equal(t, before+1, s.metas, "%s was not asked for ahead", want)
	}
}

// Further versions are asked for without waiting, and what they need is followed.
func TestExpectVersions(t *testing.T) {
	s := newStall(t, "orchard")
	for _, v := range []string{"1.0", "2.0", "3.0"} {
		s.sell("press-"+v+"-py3-none-any.whl", "Requires-Dist: cider")
	}
	s.sell("cider-1.0-py3-none-any.whl")
	p := &catalog.Provider{Catalog: open(t, s), Environment: linux(), Context: ctx}
	end := p.ExpectVersions("press", []version.Version{version.MustParse("1.0"), version.MustParse("3.0"), version.MustParse("4.0")})
	for _, v := range []string{"1.0", "3.0"} {
		_, err := p.Needs(ctx, "press", "", version.MustParse(v))
		require.NoError(t, err)
	}
	end()
	asked := s.metas
	assert.Contains(t, []int{2, 3}, asked, "each once, and what they need if there was time")
	_, err := p.Needs(ctx, "press", "", version.MustParse("3.0"))
	require.NoError(t, err)
	assert.Equal(t, asked, s.metas)
}

// What is likely is followed as deep as it goes, within what the environment needs, and what
// other targets need of it comes in one burst; what has the same hash is not asked for again.
func TestAhead(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl", "Requires-Dist: cider>=2", "Requires-Dist: winch; sys_platform == 'win32'", "Requires-Dist: labels; extra == 'shop'")
	s.sell("cider-3.0-cp312-cp312-win_amd64.whl")
	s.sell("cider-2.0-py3-none-any.whl", "Requires-Dist: vat[oak]")
	s.sell("vat-1.0-cp312-cp312-manylinux_2_17_x86_64.whl", "Requires-Dist: stave; extra == 'oak'")
	s.sell("vat-1.0-cp312-cp312-win_amd64.whl", "Requires-Dist: stave; extra == 'oak'")
	s.sell("stave-1.0-cp312-cp312-manylinux_2_17_x86_64.whl")
	s.sell("stave-1.0-cp312-cp312-win_amd64.whl", "Requires-Dist: press")
	s.sell("stave-2.0rc1-py3-none-any.whl")
	s.sell("winch-1.0-py3-none-any.whl")
	s.sell("labels-1.0-py3-none-any.whl")
	for _, list := range s.files {
		for i, f := range list {
			sum := sha256.Sum256([]byte(s.meta[f.Name]))
			list[i].MetadataHashes = digest.Sums{SHA256: hex.EncodeToString(sum[:])}
		}
	}
	c := open(t, s)
	p := &catalog.Provider{Catalog: c, Environment: linux(), Context: ctx}
	for range 2 {
		p.Expect([]resolve.Need{{Name: "press"}})
	}
	assert.Equal(t, map[string]int{"press": 1, "cider": 1, "vat": 1, "stave": 1}, s.asked)
	assert.Equal(t, 4, s.metas)

	windows := target.Target{OS: "windows", Arch: "amd64", Implementation: "cpython", Major: 3, Minor: 12}.Environment()
	var chosen []resolve.Choice
	for _, text := range []string{"vat", "stave"} {
		chosen = append(chosen, resolve.Choice{Name: text, Version: version.MustParse("1.0")})
	}
	c.Ahead(ctx, chosen, []target.Environment{linux(), windows})
	assert.Equal(t, 5, s.metas, "both wheels of vat say the same, those of stave do not")
	again := open(t, s)
	again.Cache = c.Cache
	again.Ahead(ctx, chosen, []target.Environment{linux(), windows})
	assert.Equal(t, 5, s.metas, "they are kept")
}
