package advisory_test

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/advisory"
	"glassjar/core/version"
	_ "glassjar/internal/long"
)

var now = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)

func about(events string) string {
	return `{"id": "ORCHARD-1", "affected": [{"package": {"ecosystem": "PyPI", "name": "Brix_Meter"}, "ranges": [{"type": "ECOSYSTEM", "events": [` + events + `]}]}]}`
}

// As the schema says ("Evaluation"), in the order of PEP 440.
func TestAffects(t *testing.T) {
	for _, c := range []struct {
		text    string
		in, out []string
	}{
		{about(`{"introduced": "0"}, {"fixed": "1.2"}`), []string{"0.1", "1.1.9", "1.2rc1", "1.2.dev3", "0.0.dev1"}, []string{"1.2", "1.2.post1", "1!0.1", "2"}},
		{about(`{"fixed": "1.2"}, {"introduced": "0"}`), []string{"1.1"}, []string{"1.2"}},
		{about(`{"introduced": "1.0"}, {"last_affected": "1.2"}`), []string{"1.0", "1.2", "1.2.0"}, []string{"0.9", "1.0rc1", "1.2.1", "1.2.post1"}},
		{about(`{"introduced": "0"}, {"fixed": "1.0"}, {"introduced": "1.5"}, {"fixed": "1.6"}`), []string{"0.5", "1.5", "1.5.3"}, []string{"1.0", "1.4", "1.6"}},
		{about(`{"introduced": "0"}, {"limit": "2.0"}`), []string{"0.1", "1.9"}, []string{"2.0", "3"}},
		{about(`{"introduced": "1"}, {"limit": "*"}`), []string{"1", "99"}, []string{"0.9"}},
		{about(`{"introduced": "1.0"}`), []string{"1.0", "99"}, []string{"0.9"}},
		{about(`{"introduced": "0"}, {"fixed": "not a version"}`), []string{"1"}, nil},
		{about(`{"fixed": "1.0"}`), nil, []string{"0.1", "2"}},
		{about(`{"introduced": "1!0"}, {"fixed": "1!2"}`), []string{"1!1.5"}, []string{"1.5", "1!2"}},
		{about(`{"introduced": "1.0+orchard"}, {"fixed": "1.1"}`), []string{"1.0+orchard", "1.0.1"}, []string{"1.0"}},
		{`{"id": "A", "affected": [{"package": {"ecosystem": "PyPI", "name": "brix-meter"}, "versions": ["1.0.0", "2.1rc1"]}]}`, []string{"1", "1.0", "2.1rc1"}, []string{"1.0.1", "2.1"}},
		{`{"id": "A", "affected": [{"package": {"ecosystem": "PyPI", "name": "brix-meter"}, "versions": ["3"], "ranges": [{"type": "ECOSYSTEM", "events": [{"introduced": "0"}, {"fixed": "1"}]}, {"type": "GIT", "events": [{"introduced": "0"}]}]}]}`, []string{"0.5", "3"}, []string{"1", "2"}},
	} {
		a, ok, err := advisory.Parse([]byte(c.text), now)
		require.NoError(t, err)
		require.True(t, ok)
		for _, v := range c.in {
			assert.True(t, a.Affects("brix-meter", version.MustParse(v)), "%s in %s", v, c.text)
		}
		for _, v := range c.out {
			assert.False(t, a.Affects("brix-meter", version.MustParse(v)), "%s not in %s", v, c.text)
		}
	}
}

func TestLeftOut(t *testing.T) {
	for name, text := range map[string]string{
		"withdrawn":       `{"id": "A", "withdrawn": "2025-05-01T00:00:00Z", "affected": [{"package": {"ecosystem": "PyPI", "name": "a"}, "versions": ["1"]}]}`,
		"another system":  `{"id": "A", "affected": [{"package": {"ecosystem": "npm", "name": "a"}, "versions": ["1"]}]}`,
		"of commits only": `{"id": "A", "affected": [{"package": {"ecosystem": "PyPI", "name": "a"}, "ranges": [{"type": "GIT", "events": [{"introduced": "0"}]}]}]}`,
	} {
		_, ok, err := advisory.Parse([]byte(text), now)
		require.NoError(t, err, name)
		assert.False(t, ok, name)
	}
	_, ok, err := advisory.Parse([]byte(`{"id": "A", "withdrawn": "2027-05-01T00:00:00Z", "affected": [{"package": {"ecosystem": "PyPI", "name": "a"}, "versions": ["1"]}]}`), now)
	require.NoError(t, err)
	assert.True(t, ok, "it is withdrawn later")
}

// A folder and a zip of the same files are one database; aliases are one fault.
func TestDatabases(t *testing.T) {
	texts := map[string]string{
		"b.json":     `{"id": "B-2", "aliases": ["CVE-1"], "summary": "", "details": "# Sour\nmore", "severity": [{"score": "CVSS:3.1/AV:N"}], "references": [{"url": "https://orchard.example/b"}], "affected": [{"package": {"ecosystem": "PyPI", "name": "press"}, "versions": ["1"]}]}`,
		"sub/a.json": `{"id": "A-1", "aliases": ["CVE-1", "X-9"], "summary": "Sour", "database_specific": {"severity": "HIGH"}, "affected": [{"package": {"ecosystem": "PyPI", "name": "press"}, "ranges": [{"type": "ECOSYSTEM", "events": [{"introduced": "0"}]}]}]}`,
		"c.json":     `{"id": "C", "affected": [{"package": {"ecosystem": "PyPI", "name": "Press"}, "versions": ["2"]}]}`,
		"bad.json":   `{`, "readme.txt": "no advisory",
	}
	dir := t.TempDir()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range texts {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	file := filepath.Join(t.TempDir(), "all.zip")
	folder, err := advisory.Folder(dir, now)
	require.NoError(t, err)
	zipped, err := advisory.Zip(file, b.Bytes(), now)
	require.NoError(t, err)
	var saved bytes.Buffer
	require.NoError(t, folder.Save(&saved))
	kept := filepath.Join(t.TempDir(), "kept.json")
	require.NoError(t, os.WriteFile(kept, saved.Bytes(), 0o644))
	loaded, err := advisory.Load(kept)
	require.NoError(t, err)
	both := &advisory.Database{}
	both.Join(zipped)
	for _, d := range []*advisory.Database{folder, zipped, loaded, both} {
		assert.Equal(t, 3, d.Count)
		one := d.About("press", version.MustParse("1.0"))
		require.Len(t, one, 1)
		assert.Equal(t, []string{"A-1", "CVE-1", "X-9", "B-2"}, one[0].IDs())
		assert.Equal(t, "HIGH", one[0].Severity)
		assert.Len(t, d.About("press", version.MustParse("2")), 2)
		assert.Empty(t, d.About("cider", version.MustParse("1")))
	}
	assert.Len(t, folder.Unread, 1)
	assert.Equal(t, "Sour", folder.About("press", version.MustParse("1"))[0].Summary)
	_, err = advisory.Folder(filepath.Join(dir, "none"), now)
	assert.ErrorIs(t, err, os.ErrNotExist)
	_, err = advisory.Zip(file, []byte("no zip"), now)
	assert.Error(t, err)
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(about(`{"introduced": "0"}, {"fixed": "1.2"}`)), "1.0")
	f.Fuzz(func(t *testing.T, data []byte, text string) {
		v, err := version.Parse(text)
		a, ok, failed := advisory.Parse(data, now)
		if err != nil || failed != nil || !ok {
			return
		}
		for name := range a.Affected {
			a.Affects(name, v)
		}
	})
}
