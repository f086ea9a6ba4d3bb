package sealed_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/index"
	"glassjar/core/project"
	"glassjar/core/sealed"
	"glassjar/core/store"
)

const wheel = "press-1.0-py3-none-any.whl"

// written is a sealed jar of one wheel.
func written(t *testing.T) (file string, member sealed.Member, record *project.Record) {
	dir := t.TempDir()
	content := []byte("a wheel")
	sum := sha256.Sum256(content)
	member = sealed.Member{Path: filepath.Join(dir, "of the store"), SHA256: hex.EncodeToString(sum[:])}
	require.NoError(t, os.WriteFile(member.Path, content, 0o644))
	record, err := project.ParseRecord(filepath.Join(dir, project.RecordFile), []byte(`lock-version = "1.0"
created-by = "x"
[[packages]]
name = "press"
version = "1.0"
index = "https://orchard.invalid/simple/"
wheels = [{ name = "`+wheel+`", url = "https://orchard.invalid/`+wheel+`", hashes = { sha256 = "`+member.SHA256+`" } }]
[[packages]]
name = "mill"
version = "1.0"
marker = "sys_platform == 'win32'"
wheels = [{ name = "mill-1.0-py3-none-any.whl", url = "file:///orchard/mill-1.0-py3-none-any.whl", hashes = { sha256 = "`+member.SHA256+`" } }]
`))
	require.NoError(t, err)
	targets, all, err := sealed.Targets(record, &project.Spec{}, []string{"linux-x86_64"})
	require.NoError(t, err)
	require.Greater(t, len(all), len(targets))
	files, err := sealed.Files(record, targets)
	require.NoError(t, err)
	require.Equal(t, []string{wheel}, []string{files[0].Name}, "mill is for another system")
	text := sealed.Record(record, targets, files, nil).Format()
	file = filepath.Join(dir, "press.zip")
	var b bytes.Buffer
	require.NoError(t, sealed.Write(t.Context(), &b, text, []byte("signed"), map[string]sealed.Member{wheel: member}))
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
	return file, member, record
}

// What is written is read: the record names what is beside it, and what it was made of can be told
// from it again.
func TestWritten(t *testing.T) {
	file, member, record := written(t)
	z, err := sealed.OpenFile(file)
	require.NoError(t, err)
	defer z.Close()
	require.Len(t, z.Record.Packages, 1)
	assert.Equal(t, wheel, z.Record.Packages[0].Wheels[0].Path)
	assert.Empty(t, z.Record.Packages[0].Index)
	files, size, faults, err := z.Check(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []any{1, int64(len("a wheel")), []string{}}, []any{files, size, faults})
	signatures, err := z.Signatures(t.Context())
	require.NoError(t, err)
	assert.Equal(t, [][]byte{[]byte("signed")}, signatures)
	text, all := sealed.Unsealed(z.Record)
	assert.True(t, all, "each file has an address")
	assert.Contains(t, string(text), record.Packages[0].Wheels[0].URL)

	var again bytes.Buffer
	require.NoError(t, sealed.Write(t.Context(), &again, z.Text, []byte("signed"), map[string]sealed.Member{wheel: member}))
	one, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, one, again.Bytes(), "equal contents are equal bytes")
}

// What the store has damaged goes into no sealed jar, and what was altered in one is found.
func TestDamaged(t *testing.T) {
	file, member, _ := written(t)
	require.NoError(t, os.WriteFile(member.Path, []byte("damaged"), 0o644))
	var damaged *store.HashError
	require.ErrorAs(t, sealed.Write(t.Context(), io.Discard, nil, nil, map[string]sealed.Member{wheel: member}), &damaged)
	assert.Equal(t, member.SHA256, damaged.Want)

	z, err := sealed.OpenFile(file)
	require.NoError(t, err)
	text := z.Text
	z.Close()
	other := filepath.Join(t.TempDir(), "other.zip")
	for _, c := range []struct {
		members map[string]string
		fault   string
	}{
		{map[string]string{wheel: "another"}, wheel + " is not what the record says"},
		{map[string]string{wheel: "a wheel", "more.whl": ""}, "more.whl is in no record"},
		{map[string]string{}, wheel + " is missing"},
	} {
		to, err := os.Create(other)
		require.NoError(t, err)
		w := zip.NewWriter(to)
		c.members[project.RecordFile] = string(text)
		for name, content := range c.members {
			m, err := w.Create(name)
			require.NoError(t, err)
			_, err = m.Write([]byte(content))
			require.NoError(t, err)
		}
		require.NoError(t, w.Close())
		require.NoError(t, to.Close())
		z, err := sealed.OpenFile(other)
		require.NoError(t, err)
		_, _, faults, err := z.Check(t.Context())
		require.NoError(t, err)
		assert.Equal(t, []string{c.fault}, faults)
		z.Close()
	}
	_, err = sealed.OpenFile(filepath.Join(t.TempDir(), "nowhere"))
	assert.ErrorIs(t, err, os.ErrNotExist)
	var no *project.FileError
	_, err = sealed.OpenFile(member.Path)
	assert.ErrorAs(t, err, &no)
}

// What is no package file cannot be sealed, and sources bring along what they are built with.
func TestWhatGoesAlong(t *testing.T) {
	var no *sealed.FromFolderError
	require.ErrorAs(t, sealed.CheckFolders(&project.Record{Packages: []project.Package{{Name: "press", VCS: &project.VCS{}}, {Name: "mill"}}}), &no)
	assert.Equal(t, []string{"press"}, no.Names)
	record := &project.Record{Built: []project.Built{{Name: "Press", With: []project.BuiltWith{{Name: "mill", File: "mill-1.0-py3-none-any.whl", SHA256: "0a"}, {Name: "old"}}}, {Name: "cider"}}}
	tools := sealed.ToolFiles(record, []index.File{{Name: "press-1.0.tar.gz", Distribution: "press"}})
	require.Len(t, tools, 1)
	assert.Equal(t, "mill-1.0-py3-none-any.whl", tools[0].Name)
	assert.Empty(t, sealed.ToolFiles(record, nil))
}
