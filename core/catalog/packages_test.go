package catalog_test

import (
	"bytes"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/store"
	"glassjar/core/wheel"
	"glassjar/internal/wait"
)

// What was begun and another process has unpacked meanwhile does not stay.
func TestBegunAndUnpackedElsewhere(t *testing.T) {
	for _, keep := range []bool{false, true} {
		s := newStall(t, "orchard")
		f := *s.sell("press-1.0-py3-none-any.whl")
		c := open(t, s)
		c.Store.KeepPackages = keep
		begun := c.Begin(ctx, []index.File{f})
		wait.For(t, func() bool { _, here := c.Store.Package(f.SHA256()); return here }, "the package")
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
