package catalog_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/progress"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

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

// What was kept is not asked for again, unless a power cut left nothing of it, or a part.
func TestKeptMetadata(t *testing.T) {
	s := newStall(t, "orchard")
	f := s.sell("press-1.0-py3-none-any.whl")
	cache := t.TempDir()
	for asked, left := range []int64{0, 40, 0} {
		for range 2 {
			c := open(t, s)
			c.Cache = cache
			meta, err := c.Metadata(ctx, *f)
			require.NoError(t, err)
			assert.Equal(t, "press", meta.Key())
			assert.Equal(t, asked+1, s.metas)
		}
		kept, err := filepath.Glob(filepath.Join(cache, "metadata", "*", "*"))
		require.NoError(t, err)
		require.Len(t, kept, 1)
		require.NoError(t, os.Truncate(kept[0], left))
	}
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

// What a build asks of the same indexes is no note of the command's.
func TestEachNotesWhatItPassedOver(t *testing.T) {
	s := newStall(t, "one")
	s.sell("press-1.0-py3-none-any.whl")
	s.files["press"] = append(s.files["press"], index.File{Name: "press-2..0-py3-none-any.whl", Distribution: "press", Fault: "2..0 is no version"})
	own := open(t, s)
	other := (&catalog.Catalog{Direct: map[string]index.File{}, Store: own.Store, Cache: own.Cache}).Use(own.Indexes)
	_, _, err := own.Releases(t.Context(), "press")
	require.NoError(t, err)
	assert.Equal(t, []index.PassedOver{{Name: "press", File: "press-2..0-py3-none-any.whl", Why: "2..0 is no version"}}, own.PassedOver())
	assert.Empty(t, other.PassedOver())
}
