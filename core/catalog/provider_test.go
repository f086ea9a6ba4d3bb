package catalog_test

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

func TestCandidates(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl")
	s.sell("press-1.1-cp312-cp312-win_amd64.whl")
	s.sell("press-1.2-py3-none-any.whl").RequiresPython = ">=3.13"
	yanked := s.sell("press-1.3-py3-none-any.whl")
	yanked.Yanked, yanked.YankedReason = true, "sour"
	s.sell("press-1.4b1-py3-none-any.whl")
	s.files["press"] = append(s.files["press"], index.File{Name: "press-1.5.tar.gz", Distribution: "press", Version: version.MustParse("1.5")})
	c := open(t, s)
	p := &catalog.Provider{Catalog: c, Environment: linux(), Context: ctx}
	list, err := p.Candidates(ctx, "press")
	require.NoError(t, err)
	var got []string
	for _, one := range list {
		got = append(got, fmt.Sprintf("%s %d %s", one.Version, one.Unfit, one.Detail))
	}
	assert.Equal(t, []string{fmt.Sprintf("1.5 %d ", resolve.SourceOnly), fmt.Sprintf("1.4b1 %d ", resolve.Prerelease), fmt.Sprintf("1.3 %d sour", resolve.Yanked),
		fmt.Sprintf("1.2 %d >=3.13", resolve.Python), fmt.Sprintf("1.1 %d cp312-cp312-win_amd64", resolve.NoFile), fmt.Sprintf("1.0 %d ", resolve.Fit)}, got)

	list, err = p.Candidates(ctx, "cider")
	assert.NoError(t, err)
	assert.Empty(t, list, "a name that there is not has no versions")

	// What the base provides comes first, and needs no file.
	p = &catalog.Provider{Catalog: c, Environment: linux(), Context: ctx,
		Present: map[string]catalog.Present{"press": {Version: version.MustParse("1.0"), Metadata: metadata.Metadata{Requires: []requirement.Requirement{requirement.MustParse("juice")}}}}}
	list, err = p.Candidates(ctx, "press")
	require.NoError(t, err)
	assert.Len(t, list, 6)
	assert.Equal(t, "1.0", list[0].Version.String())
	f, err := p.File(ctx, "press", version.MustParse("1.0"))
	assert.NoError(t, err)
	assert.Nil(t, f)
	needs, err := p.Needs(ctx, "press", "", version.MustParse("1.0"))
	require.NoError(t, err)
	assert.Equal(t, "juice", needs[0].Name)
	_, err = p.File(ctx, "press", version.MustParse("1.1"))
	assert.ErrorContains(t, err, "no file of press 1.1 serves")
}

// builds answers for source as somebody who consents to some names.
type builds struct {
	may  map[string]bool
	fail error
	says string
}

func (b builds) MayBuild(_ context.Context, name string) (bool, error) { return b.may[name], b.fail }
func (b builds) Metadata(context.Context, index.File) ([]byte, error)  { return []byte(b.says), b.fail }

// Source is chosen where no wheel serves and it may be built; what it needs is what the
// index promises, else what whoever builds it says.
func TestSources(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl")
	source := func(file string, more index.File) {
		name, err := metadata.ParseSdistName(file)
		require.NoError(t, err)
		more.Name, more.Distribution, more.Version, more.Index, more.URL, more.Size = file, name.Name, name.Version, "orchard", s.Address()+file, -1
		s.files[name.Name] = append(s.files[name.Name], more)
	}
	source("press-1.0.tar.gz", index.File{})
	source("press-1.1.tar.gz", index.File{Hashes: digest.Sums{SHA256: strings.Repeat("ab", 32)}})
	source("press-1.2.tar.gz", index.File{Yanked: true, YankedReason: "sour"})
	source("press-1.3.tar.gz", index.File{RequiresPython: ">=3.13"})
	v := version.MustParse("1.1")
	for _, c := range []struct {
		sources catalog.Sources
		fit     string
		fails   bool
	}{
		{nil, "1.0", false},
		{builds{}, "1.0", false},
		{builds{may: map[string]bool{"press": true}, says: "Metadata-Version: 2.1\nName: press\nVersion: 1.1\nRequires-Dist: vat\n"}, "1.1 1.0", false},
		{builds{fail: errors.New("ask somebody")}, "", true},
	} {
		catalogue := open(t, s)
		catalogue.Sources = c.sources
		p := &catalog.Provider{Catalog: catalogue, Environment: linux(), Context: ctx}
		list, err := p.Candidates(ctx, "press")
		if c.fails {
			assert.Error(t, err)
			continue
		}
		require.NoError(t, err)
		var fit []string
		for _, one := range list {
			if one.Unfit == resolve.Fit {
				fit = append(fit, one.Version.String())
			}
		}
		assert.Equal(t, c.fit, strings.Join(fit, " "))
		if len(fit) == 2 {
			f, err := p.File(ctx, "press", v)
			require.NoError(t, err)
			assert.True(t, f.IsSource())
			needs, err := p.Needs(ctx, "press", "", v)
			require.NoError(t, err)
			assert.Equal(t, "vat", needs[0].Name)
			f, err = p.File(ctx, "press", version.MustParse("1.0"))
			require.NoError(t, err)
			assert.False(t, f.IsSource(), "a wheel comes first")
		}
	}
	s.meta["press-1.1.tar.gz"] = "Metadata-Version: 2.2\nName: press\nVersion: 1.1\nRequires-Dist: must\n"
	s.files["press"][2].HasMetadata = true
	meta, err := open(t, s).Metadata(ctx, s.files["press"][2])
	require.NoError(t, err, "nobody has to build it for that")
	assert.Equal(t, "must", meta.Requires[0].Name)
	_, err = open(t, s).Metadata(ctx, s.files["press"][1])
	assert.ErrorIs(t, err, metadata.ErrInvalid)
}

// Of the files of a release the one with the best tag is taken, and of these the one
// with the highest build number.
func TestTheBestFile(t *testing.T) {
	s := newStall(t, "orchard")
	for _, file := range []string{"press-1.0-py3-none-any.whl", "press-1.0-2-cp312-cp312-manylinux_2_17_x86_64.whl", "press-1.0-10-cp312-cp312-manylinux_2_17_x86_64.whl", "press-1.0-11-cp311-cp311-manylinux_2_17_x86_64.whl"} {
		s.sell(file)
	}
	s.files["press"][0].Yanked = true // one of several does not make a release withdrawn
	best, c := catalog.Judge(catalog.ByVersion(s.files["press"])[0], linux())
	assert.Equal(t, resolve.Fit, c.Unfit)
	assert.Equal(t, "press-1.0-10-cp312-cp312-manylinux_2_17_x86_64.whl", best.Name)
}

func TestNeeds(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl", "Requires-Dist: juice>=2", "Requires-Dist: cloth; sys_platform == 'win32'", "Requires-Dist: label[paper]; extra == 'shop'",
		"Requires-Dist: bad thing; extra == 'market'", "Provides-Extra: shop", "Provides-Extra: market")
	s.sell("press-2.0-py3-none-any.whl", "Requires-Dist: bad thing")
	s.sell("press-3.0-py3-none-any.whl", "Requires-Python: >=3.13")
	s.sell("press-4.0-py3-none-any.whl", "Requires-Dist: juice @ https://far.example/juice-1-py3-none-any.whl")
	c := open(t, s)
	p := &catalog.Provider{Catalog: c, Environment: linux(), Context: ctx}
	for _, one := range []struct{ extra, version, want, fault string }{
		{"", "1.0", "juice>=2", ""},
		{"shop", "1.0", "label[paper]", ""},
		{"market", "1.0", "", "bad thing"},
		{"", "2.0", "", "bad thing"},
		{"", "3.0", "", "it requires Python >=3.13"},
		{"", "4.0", "", "ask for that yourself"},
	} {
		needs, err := p.Needs(ctx, "press", one.extra, version.MustParse(one.version))
		var got []string
		for _, n := range needs {
			got = append(got, n.String())
		}
		assert.Equal(t, one.want, strings.Join(got, " "), one)
		if one.fault != "" {
			var unread *resolve.UnreadableError
			require.ErrorAs(t, err, &unread, one)
			assert.ErrorContains(t, unread.Err, one.fault)
		}
	}
	assert.Len(t, c.PassedOver(), 2, "those with a bad line")
	c.Direct["juice"] = index.File{}
	needs, err := p.Needs(ctx, "press", "", version.MustParse("4.0"))
	require.NoError(t, err)
	assert.Equal(t, "https://far.example/juice-1-py3-none-any.whl", needs[0].URL)
}

// Environments are one where no marker, tag or Requires-Python that was met tells them apart.
func TestWhatTellsEnvironmentsApart(t *testing.T) {
	windows := target.Target{OS: "windows", Arch: "amd64", Implementation: "cpython", Major: 3, Minor: 12}.Environment()
	old := target.Target{OS: "linux", Arch: "amd64", Implementation: "cpython", Major: 3, Minor: 11}.Environment()
	for _, c := range []struct {
		name string
		sell func(s *stall)
		env  target.Environment
		same bool
	}{
		{"nothing", func(s *stall) { s.sell("press-1.0-py3-none-any.whl", "Requires-Dist: cider") }, windows, true},
		{"a marker", func(s *stall) { s.sell("press-1.0-py3-none-any.whl", "Requires-Dist: cider; os_name == 'nt'") }, windows, false},
		{"a marker of nobody here", func(s *stall) { s.sell("press-1.0-py3-none-any.whl", "Requires-Dist: cider; os_name == 'java'") }, windows, true},
		{"a tag", func(s *stall) { s.sell("press-1.0-cp312-cp312-win_amd64.whl"); s.sell("press-0.9-py3-none-any.whl") }, windows, false},
		{"wheels that say different things", func(s *stall) {
			s.sell("press-1.0-cp312-cp312-win_amd64.whl")
			s.sell("press-1.0-cp312-cp312-manylinux_2_17_x86_64.whl", "Requires-Dist: cider")
		}, windows, false},
		{"wheels that say the same", func(s *stall) {
			s.sell("press-1.0-cp312-cp312-win_amd64.whl")
			s.sell("press-1.0-cp312-cp312-manylinux_2_17_x86_64.whl")
			for i := range s.files["press"] {
				sum := sha256.Sum256([]byte(s.meta[s.files["press"][i].Name]))
				s.files["press"][i].MetadataHashes = digest.Sums{SHA256: hex.EncodeToString(sum[:])}
			}
		}, windows, true},
		{"Requires-Python of the index", func(s *stall) { s.sell("press-1.0-py3-none-any.whl").RequiresPython = ">=3.12" }, old, false},
		{"Requires-Python of the metadata", func(s *stall) { s.sell("press-1.0-py3-none-any.whl", "Requires-Python: >=3.12") }, old, false},
		{"a Python that both are", func(s *stall) { s.sell("press-1.0-py3-none-any.whl").RequiresPython = ">=3.9" }, old, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := newStall(t, "orchard")
			c.sell(s)
			s.sell("cider-1.0-py3-none-any.whl")
			one := &catalog.Provider{Catalog: open(t, s), Environment: linux(), Context: ctx}
			other := &catalog.Provider{Catalog: one.Catalog, Environment: c.env, Context: ctx}
			_, err := resolve.Solve(ctx, one, resolve.Problem{Roots: []resolve.Need{{Name: "press"}}})
			require.NoError(t, err)
			before := s.metas
			assert.Equal(t, c.same, other.AnswersLike(ctx, one))
			assert.Equal(t, before, s.metas, "nothing is fetched for that")
			assert.True(t, one.AnswersLike(ctx, one))
		})
	}
}

// On a large page releases that are alike are judged once; it is the same as judging each.
func TestReleasesThatAreAlike(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 9))
	s := newStall(t, "orchard")
	var names metadata.Names // as of one page
	for n := range 120 {
		for _, tag := range []string{"cp312-cp312-win_amd64", "cp312-cp312-manylinux_2_17_x86_64", "1-cp312-cp312-manylinux_2_17_x86_64", "cp311-cp311-manylinux_2_17_x86_64", ""} {
			f := index.File{Name: fmt.Sprintf("press-1.%d-%s.whl", n, tag), Distribution: "press", Version: version.MustParse(fmt.Sprintf("1.%d", n)), Index: s.name}
			if tag == "" {
				f.Name = fmt.Sprintf("press-1.%d.tar.gz", n)
			} else {
				w, err := names.Wheel(f.Name)
				require.NoError(t, err)
				f.Wheel = &w
			}
			if f.Yanked = r.IntN(3) == 0; f.Yanked {
				f.YankedReason = []string{"", "too sour"}[r.IntN(2)]
			}
			f.RequiresPython = []string{"", ">=3.12", ">=3.13"}[r.IntN(3)]
			if r.IntN(3) > 0 {
				s.files["press"] = append(s.files["press"], f)
			}
		}
	}
	c := open(t, s)
	releases, _, err := c.Releases(ctx, "press")
	require.NoError(t, err)
	kinds := map[int]bool{}
	for _, env := range []target.Environment{linux(), target.Target{OS: "windows", Arch: "amd64", Implementation: "cpython", Major: 3, Minor: 12}.Environment()} {
		p := &catalog.Provider{Catalog: c, Environment: env, Context: ctx}
		candidates, err := p.Candidates(ctx, "press")
		require.NoError(t, err)
		for i, release := range releases {
			f, want := catalog.Judge(release, env)
			kinds[want.Unfit] = true
			require.Equal(t, want, candidates[i], release.Version.String())
			if f != nil {
				got, err := p.File(ctx, "press", release.Version)
				require.NoError(t, err)
				require.Equal(t, f.Name, got.Name)
			}
		}
	}
	assert.Greater(t, len(kinds), 3, "all that may be found")
}

// What a version needs is so in every environment where no marker says otherwise, all its wheels
// say the same, and no environment is left with the source.
func TestWhatIsNeededEverywhere(t *testing.T) {
	for _, c := range []struct {
		files []string
		line  string
		here  bool
	}{
		{[]string{"press-1.0-py3-none-any.whl"}, "Requires-Dist: cider", false},
		{[]string{"press-1.0-py3-none-any.whl"}, "Requires-Dist: cider; os_name == 'posix'", true},
		{[]string{"press-1.0-py3-none-any.whl", "press-1.0.tar.gz"}, "Requires-Dist: cider", false},
		{[]string{"press-1.0-cp312-cp312-manylinux_2_17_x86_64.whl"}, "Requires-Dist: cider", false},
		{[]string{"press-1.0-cp312-cp312-manylinux_2_17_x86_64.whl", "press-1.0.tar.gz"}, "Requires-Dist: cider", true},
		{[]string{"press-1.0-cp312-cp312-manylinux_2_17_x86_64.whl", "press-1.0-cp312-cp312-win_amd64.whl"}, "Requires-Dist: cider", true},
	} {
		s := newStall(t, "orchard")
		for _, file := range c.files {
			if strings.HasSuffix(file, ".whl") {
				s.sell(file, c.line)
			} else {
				s.files["press"] = append(s.files["press"], index.File{Name: file, Distribution: "press", Version: version.MustParse("1.0"), Index: s.name})
			}
		}
		p := &catalog.Provider{Catalog: open(t, s), Environment: linux(), Context: ctx}
		needs, err := p.Needs(ctx, "press", "", version.MustParse("1.0"))
		require.NoError(t, err)
		require.Len(t, needs, 1)
		assert.Equal(t, c.here, needs[0].Here, "%v %s", c.files, c.line)
	}
}
