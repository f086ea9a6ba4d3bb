package catalog_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/progress"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/store"
	"glassjar/core/target"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

var ctx = context.Background()

// stall is an index of a test. It counts what it is asked for.
type stall struct {
	t     *testing.T
	name  string
	dir   string // has the wheels
	files map[string][]index.File
	bytes map[string][]byte // by file name
	meta  map[string]string // METADATA by file name; those without give none separately
	// spoil, if set, is given the bytes of a file each time it is opened.
	spoil func(name string, data []byte, opened int) []byte

	whole bool // it gives files only whole

	mu     sync.Mutex
	asked  map[string]int // pages, by name
	metas  int
	looks  int
	opened map[string]int
}

func newStall(t *testing.T, name string) *stall {
	return &stall{t: t, name: name, dir: t.TempDir(), files: map[string][]index.File{}, bytes: map[string][]byte{}, meta: map[string]string{}, asked: map[string]int{}, opened: map[string]int{}}
}

func (s *stall) Name() string    { return s.name }
func (s *stall) Address() string { return "https://" + s.name + ".example/" }

func (s *stall) Files(_ context.Context, name string) ([]index.File, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked[name]++
	if files, ok := s.files[name]; ok {
		return files, nil
	}
	return nil, fmt.Errorf("%s: %w", name, index.ErrUnknownName)
}

func (s *stall) Names(context.Context) ([]string, error) {
	var out []string
	for name := range s.files {
		out = append(out, name)
	}
	slices.Sort(out)
	return out, nil
}

func (s *stall) Metadata(_ context.Context, f index.File) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.metas++
	if s.whole {
		return nil, fetch.ErrNoRanges
	}
	return []byte(s.meta[f.Name]), nil
}

func (s *stall) Inside(_ context.Context, f index.File) (index.Inside, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.looks++
	return index.WheelInside(filepath.Join(s.dir, f.Name))
}

func (s *stall) Open(_ context.Context, f index.File) (io.ReadCloser, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.opened[f.Name]++
	data := s.bytes[f.Name]
	if s.spoil != nil {
		data = s.spoil(f.Name, data, s.opened[f.Name])
	}
	return io.NopCloser(bytes.NewReader(data)), nil
}

// sell offers a wheel with some lines of metadata. Lines that begin with "." are the
// paths of further members.
func (s *stall) sell(file string, lines ...string) *index.File {
	name, err := metadata.ParseWheelName(file)
	require.NoError(s.t, err)
	text := fmt.Sprintf("Metadata-Version: 2.1\nName: %s\nVersion: %s\n", name.Name, name.Version)
	spec := wheel.Spec{Name: name.Name, Version: name.Version, Tag: "py3-none-any"}
	for _, line := range lines {
		if path, ok := strings.CutPrefix(line, "."); ok {
			spec.Files = append(spec.Files, wheel.File{Path: path})
		} else {
			text += line + "\n"
		}
	}
	spec.Metadata = []byte(text)
	var buffer bytes.Buffer
	require.NoError(s.t, wheel.Write(&buffer, spec))
	data := buffer.Bytes()
	sum := sha256.Sum256(data)
	s.bytes[file], s.meta[file] = data, text
	require.NoError(s.t, os.WriteFile(filepath.Join(s.dir, file), data, 0o644))
	s.files[name.Name] = append(s.files[name.Name], index.File{Name: file, Distribution: name.Name, Version: name.Version, Wheel: &name, URL: s.Address() + file,
		Index: s.name, Size: int64(len(data)), Hashes: digest.Sums{SHA256: hex.EncodeToString(sum[:])}, HasMetadata: true})
	return &s.files[name.Name][len(s.files[name.Name])-1]
}

func open(t *testing.T, sources ...index.Source) *catalog.Catalog {
	c := &catalog.Catalog{Direct: map[string]index.File{}, Store: &store.Store{Dir: t.TempDir()}, Cache: t.TempDir()}
	return c.Use(&index.Ordered{Sources: sources, Pins: map[string]string{}})
}

func linux() target.Environment {
	return target.Target{OS: "linux", Arch: "x86_64", Implementation: "cpython", Major: 3, Minor: 12}.Environment()
}

func TestEachThingIsAskedForOnce(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl")
	s.sell("press-1.0.0-py2-none-any.whl")
	s.sell("press-2.0-py3-none-any.whl")
	c := open(t, s)
	var told []progress.Event
	c.Report = func(e progress.Event) { told = append(told, e) }
	for range 3 {
		releases, source, err := c.Releases(ctx, "press")
		require.NoError(t, err)
		require.Len(t, releases, 2)
		assert.Equal(t, "2.0", releases[0].Version.String())
		assert.Len(t, releases[1].Files, 2, "1.0 and 1.0.0 are one version")
		assert.Equal(t, "orchard", source.Name())
		meta, err := c.Metadata(ctx, releases[0].Files[0])
		require.NoError(t, err)
		assert.Equal(t, "press", meta.Name)
	}
	assert.Equal(t, 1, s.asked["press"])
	assert.Equal(t, 1, s.metas)
	assert.Len(t, told, 1)

	// Another process, or the next command, finds the metadata in the cache.
	again := open(t, s)
	again.Cache = c.Cache
	_, err := again.Metadata(ctx, s.files["press"][2])
	require.NoError(t, err)
	assert.Equal(t, 1, s.metas)

	_, _, err = c.Releases(ctx, "cider")
	assert.ErrorIs(t, err, index.ErrUnknownName)
	assert.Zero(t, len(s.opened))

	// What is given directly hides what the index has.
	c = open(t, s)
	c.Direct["press"] = index.File{Name: "press-9-py3-none-any.whl", Version: version.MustParse("9")}
	releases, source, err := c.Releases(ctx, "press")
	require.NoError(t, err)
	assert.Nil(t, source)
	assert.Equal(t, "9", releases[0].Version.String())
}

func TestMetadata(t *testing.T) {
	s := newStall(t, "orchard")
	for _, c := range []struct {
		file, text, fault string
		passed            bool
	}{
		{"press-1.0-py3-none-any.whl", "", "", false},
		{"press-1.1-py3-none-any.whl", "<html>sign in</html>", "something else", false},
		{"press-1.2-py3-none-any.whl", "Metadata-Version: 2.1\nName: cider\nVersion: 1.2\n", "describes cider 1.2", true},
		{"press-1.3-py3-none-any.whl", "Metadata-Version: 2.1\nName: press\nVersion: 1.4\n", "describes press 1.4", true},
		{"press-1.4-py3-none-any.whl", "Metadata-Version: 2.1\nName: press\n", "Version", true},
	} {
		f := s.sell(c.file)
		if c.text != "" {
			s.meta[c.file] = c.text
		}
		cat := open(t, s)
		_, err := cat.Metadata(ctx, *f)
		if c.fault == "" {
			assert.NoError(t, err)
		} else {
			assert.ErrorContains(t, err, c.fault)
		}
		passed := cat.PassedOver()
		require.Equal(t, c.passed, len(passed) == 1, c.file)
		if c.passed {
			assert.Equal(t, index.PassedOver{Name: "press", Version: f.Version.String(), File: c.file, Why: err.Error()}, passed[0])
		}
	}
}

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

// What was begun and another process has unpacked meanwhile does not stay.
func TestBegunAndUnpackedElsewhere(t *testing.T) {
	for _, keep := range []bool{false, true} {
		s := newStall(t, "orchard")
		f := *s.sell("press-1.0-py3-none-any.whl")
		c := open(t, s)
		c.Store.KeepPackages = keep
		begun := c.Begin(ctx, []index.File{f})
		require.Eventually(t, func() bool { _, here := c.Store.Package(f.SHA256()); return here }, 10*time.Second, time.Millisecond)
		other := &store.Store{Dir: c.Store.Dir, KeepPackages: true}
		path, _ := other.Package(f.SHA256())
		_, err := other.UnpackWheel(ctx, path, f.Name, f.SHA256(), wheel.LimitsFor("linux"))
		require.NoError(t, err)
		require.NoError(t, other.SaveNow())
		begun.End()
		_, here := c.Store.Package(f.SHA256())
		assert.Equal(t, keep, here)
	}
}

func TestFetch(t *testing.T) {
	broken := func(name string, data []byte, opened int) []byte {
		return append(bytes.Clone(data[:len(data)-1]), byte(opened))
	}
	once := func(name string, data []byte, opened int) []byte {
		if opened == 1 {
			return broken(name, data, opened)
		}
		return data
	}
	always := func(name string, data []byte, _ int) []byte { return broken(name, data, 255) }
	for _, c := range []struct {
		title  string
		spoil  func(string, []byte, int) []byte
		change func(*index.File)
		opened int
		fault  string
	}{
		{"as it is announced", nil, nil, 1, ""},
		{"damaged on its way once", once, nil, 2, ""},
		{"the same wrong bytes twice", always, nil, 2, "has the hash"},
		{"other wrong bytes each time", broken, nil, 7, "has the hash"},
		{"longer than announced", nil, func(f *index.File) { f.Size -= 3 }, 1, "more than the"},
		{"shorter than a record says", nil, func(f *index.File) { f.Size += 3; f.Exact = true }, 1, "the record says"},
		{"shorter than a page says", nil, func(f *index.File) { f.Size += 3 }, 1, ""},
		{"another hash is wrong", nil, func(f *index.File) { f.Hashes.Add("sha512", strings.Repeat("ab", 64)) }, 2, "sha512:"},
		{"without a hash", nil, func(f *index.File) { f.Hashes = digest.Sums{} }, 1, ""},
	} {
		s := newStall(t, "orchard")
		f := *s.sell("press-1.0-py3-none-any.whl")
		whole := f.SHA256()
		s.spoil = c.spoil
		if c.change != nil {
			c.change(&f)
		}
		cat := open(t, s)
		counted := cat.TransferOf([]index.File{f})
		path, sum, err := cat.Fetch(ctx, f, counted)
		assert.Equal(t, c.opened, s.opened[f.Name], c.title)
		if c.fault != "" {
			assert.ErrorContains(t, err, c.fault, c.title)
			assert.False(t, cat.Here(index.File{Hashes: digest.Sums{SHA256: whole}}), "%s: it is in the store", c.title)
			continue
		}
		require.NoError(t, err, c.title)
		assert.Equal(t, whole, sum, c.title)
		assert.FileExists(t, path)
		assert.GreaterOrEqual(t, counted.Came(), int64(len(s.bytes[f.Name])), c.title)
		if f.SHA256() != "" {
			_, _, err = cat.Fetch(ctx, f, nil)
			assert.NoError(t, err)
			assert.Equal(t, c.opened, s.opened[f.Name], "%s: it was fetched again", c.title)
		}
	}
}

// A file on this machine is not copied, and must have each of its hashes.
func TestFetchFromHere(t *testing.T) {
	file := filepath.Join(t.TempDir(), "press-1.0-py3-none-any.whl")
	require.NoError(t, os.WriteFile(file, []byte("apples"), 0o644))
	small, large := sha256.Sum256([]byte("apples")), sha512.Sum512([]byte("apples"))
	c := open(t)
	for _, one := range []struct {
		hashes map[string]string
		size   int64
		exact  bool
		fault  string
	}{
		{nil, -1, false, ""},
		{map[string]string{"sha256": hex.EncodeToString(small[:]), "sha512": hex.EncodeToString(large[:])}, 6, true, ""},
		{map[string]string{"sha256": strings.Repeat("0", 64)}, -1, false, "has the hash"},
		{map[string]string{"sha512": strings.Repeat("0", 128)}, -1, false, "has the hash"},
		{nil, 7, true, "it has 6 bytes, and the record says 7"},
	} {
		path, sum, err := c.Fetch(ctx, index.File{Name: "press-1.0-py3-none-any.whl", Path: file, Size: one.size, Exact: one.exact, Hashes: digest.SumsOf(one.hashes)}, nil)
		if one.fault != "" {
			assert.ErrorContains(t, err, one.fault)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, file, path)
		assert.Equal(t, hex.EncodeToString(small[:]), sum)
	}
}

func TestFetchAll(t *testing.T) {
	s := newStall(t, "orchard")
	files := []index.File{*s.sell("press-1.0-py3-none-any.whl"), *s.sell("cider-1.0-py3-none-any.whl")}
	c := open(t, s)
	paths, err := c.FetchAll(ctx, files)
	require.NoError(t, err)
	for _, f := range files {
		data, err := os.ReadFile(paths[f.URL])
		require.NoError(t, err)
		assert.Equal(t, s.bytes[f.Name], data)
	}
	s.spoil = func(string, []byte, int) []byte { return nil }
	_, err = open(t, s).FetchAll(ctx, files)
	assert.Error(t, err)
}

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

// What is on this machine is not asked for: a file by its path, one in the store, and
// what one in the store unpacked to.
func TestFromThisMachine(t *testing.T) {
	s := newStall(t, "orchard")
	f := *s.sell("press_tools-1.0-py3-none-any.whl", ".presstools/__init__.py", ".press_tools-1.0.data/scripts/weigh")
	here := f
	here.Index, here.Path, here.HasMetadata = "", filepath.Join(s.dir, f.Name), false
	look := func(c *catalog.Catalog, f index.File) {
		t.Helper()
		c.Cache = t.TempDir()
		meta, err := c.Metadata(ctx, f)
		require.NoError(t, err)
		assert.Equal(t, "press-tools", meta.Key())
		in, err := c.Inside(ctx, f)
		require.NoError(t, err)
		assert.Equal(t, []string{"presstools"}, in.Imports)
		assert.Equal(t, []string{"weigh"}, in.Scripts)
	}
	look(open(t), here)
	c := open(t, s)
	path, sum, err := c.Fetch(ctx, f, nil)
	require.NoError(t, err)
	look(c, f)
	_, err = c.Store.UnpackWheel(ctx, path, f.Name, sum, wheel.LimitsFor("linux"))
	require.NoError(t, err)
	c.Store.Drop(sum)
	again := open(t, s)
	again.Store = c.Store
	look(again, f)
	assert.Zero(t, s.metas+s.looks)
	assert.Equal(t, 1, s.opened[f.Name])

	// What comes and is no archive was damaged on its way; here it is no wheel.
	s.bytes[f.Name] = []byte("<html>")
	f.HasMetadata, f.Hashes, f.Size = false, digest.Sums{}, -1
	s.whole = true
	var damaged *index.DamagedError
	_, err = open(t, s).Metadata(ctx, f)
	assert.ErrorAs(t, err, &damaged)
	here.Path, here.Hashes = filepath.Join(t.TempDir(), f.Name), digest.Sums{}
	require.NoError(t, os.WriteFile(here.Path, []byte("<html>"), 0o644))
	_, err = open(t).Metadata(ctx, here)
	assert.ErrorIs(t, err, metadata.ErrInvalid)
}

// attested is an index that knows who published a file.
type attested struct{ *stall }

func (attested) Publishers(_ context.Context, f index.File) ([]index.Publisher, error) {
	return []index.Publisher{{Kind: f.Provenance}}, nil
}

func TestPublishers(t *testing.T) {
	s := newStall(t, "orchard")
	s.sell("press-1.0-py3-none-any.whl")
	s.sell("press-1.0-py2-none-any.whl").Provenance = "the mill"
	s.sell("press-2.0-py3-none-any.whl")
	c := open(t, attested{s})
	assert.Equal(t, []index.Publisher{{Kind: "the mill"}}, c.Publishers(ctx, "press", version.MustParse("1")))
	assert.Empty(t, c.Publishers(ctx, "press", version.MustParse("2.0")))
	assert.Empty(t, c.Publishers(ctx, "cider", version.MustParse("2.0")))
	assert.Empty(t, open(t, s).Publishers(ctx, "press", version.MustParse("1")), "the index knows nothing of it")
}
