package portable

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/ulikunitz/xz"

	"glassjar/core/limits"
	"glassjar/core/metadata"
	_ "glassjar/internal/long"
)

// item is a member of an archive that is made up: a file, a link ("-> target"), another name
// ("= member"), or a device ("!").
type item struct{ path, text string }

func (i item) link() (target string, ok bool) { return cut(i.text, "-> ") }
func (i item) hard() (target string, ok bool) { return cut(i.text, "= ") }

func cut(text, prefix string) (string, bool) {
	if len(text) < len(prefix) || text[:len(prefix)] != prefix {
		return "", false
	}
	return text[len(prefix):], true
}

func tarOf(t *testing.T, file string, items []item) {
	var plain bytes.Buffer
	w := tar.NewWriter(&plain)
	for _, i := range items {
		h := &tar.Header{Name: i.path, Mode: 0o755, Typeflag: tar.TypeReg, Size: int64(len(i.text))}
		if to, ok := i.link(); ok {
			h = &tar.Header{Name: i.path, Typeflag: tar.TypeSymlink, Linkname: to}
		} else if to, ok := i.hard(); ok {
			h = &tar.Header{Name: i.path, Typeflag: tar.TypeLink, Linkname: to}
		} else if i.text == "!" {
			h = &tar.Header{Name: i.path, Typeflag: tar.TypeChar}
		}
		require.NoError(t, w.WriteHeader(h))
		if h.Typeflag == tar.TypeReg {
			_, err := w.Write([]byte(i.text))
			require.NoError(t, err)
		}
	}
	require.NoError(t, w.Close())
	var packed bytes.Buffer
	var z io.WriteCloser
	var err error
	switch filepath.Ext(file) {
	case ".zst":
		z, err = zstd.NewWriter(&packed)
	case ".xz":
		z, err = xz.NewWriter(&packed)
	default:
		z = gzip.NewWriter(&packed)
	}
	require.NoError(t, err)
	_, err = z.Write(plain.Bytes())
	require.NoError(t, errors.Join(err, z.Close()))
	require.NoError(t, os.WriteFile(file, packed.Bytes(), 0o644))
}

func zipOf(t *testing.T, file string, items []item) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, i := range items {
		h := &zip.FileHeader{Name: i.path, Method: zip.Deflate}
		h.SetMode(0o755)
		text := i.text
		if to, ok := i.link(); ok {
			h.SetMode(fs.ModeSymlink | 0o777)
			text = to
		}
		m, err := w.CreateHeader(h)
		require.NoError(t, err)
		_, err = m.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
}

func open(t *testing.T, name string, items []item) (*Archive, error) {
	file := filepath.Join(t.TempDir(), name)
	if ext := filepath.Ext(name); ext == ".zip" || ext == ".pybi" {
		zipOf(t, file, items)
	} else {
		tarOf(t, file, items)
	}
	n, ok := Parse(name)
	require.True(t, ok, name)
	a, err := Open(t.Context(), file, n, filepath.Join(t.TempDir(), "plain"))
	if err == nil {
		t.Cleanup(a.Close)
	}
	return a, err
}

func paths(a *Archive) (out []string) {
	for _, f := range a.Files {
		out = append(out, f.Path)
	}
	for _, l := range a.Links {
		out = append(out, l.Path+" -> "+l.Target)
	}
	return out
}

// What is beside the Python in an archive, and what was compiled elsewhere, is left out.
func TestArchives(t *testing.T) {
	unix := []item{{"./python/bin/python3.12", "program"}, {"python/bin/python3", "-> python3.12"}, {"python/bin/same", "= python/bin/python3.12"},
		{"python/lib/python3.12/os.py", "import sys"}, {"python/lib/python3.12/__pycache__/os.cpython-312.pyc", "x"}, {"LICENSE", "free"}}
	for _, end := range []string{".tar.gz", ".tgz", ".tar.xz", ".tar.zst"} {
		a, err := open(t, "cpython-3.12.4-x86_64-unknown-linux-gnu"+end, unix)
		require.NoError(t, err, end)
		assert.Equal(t, []string{"bin/python3.12", "bin/same", "lib/python3.12/os.py", "bin/python3 -> python3.12"}, paths(a), end)
		assert.Equal(t, "bin/python3", a.Program)
		var b bytes.Buffer
		require.NoError(t, a.Files[1].Copy(&b))
		assert.Equal(t, "program", b.String(), "another name of the same")
	}
	for _, c := range []struct {
		file, program string
		items         []item
	}{
		{"cpython-3.12.4-amd64-pc-windows-msvc.zip", "python.exe", []item{{"tools/python.exe", "x"}, {"tools/python312.dll", "x"}, {"tools/Lib/os.py", "x"}}},
		{"cpython-3.12.4-macosx_11_0_universal2.tar.gz", "bin/python3", []item{{"Python.framework/Versions/3.12/bin/python3", "x"}, {"Python.framework/Versions/3.12/Python", "x"}}},
	} {
		a, err := open(t, c.file, c.items)
		require.NoError(t, err, c.file)
		assert.Equal(t, c.program, a.Program, c.file)
	}
}

// Nothing leads out, and nothing is what it does not say.
func TestHostileArchives(t *testing.T) {
	python := item{"bin/python3", "program"}
	for _, c := range []struct {
		says  string
		items []item
	}{
		{"absolute", []item{python, {"/etc/passwd", "x"}}},
		{"leads out", []item{python, {"../x", "x"}}},
		{"empty part", []item{python, {"lib//x", "x"}}},
		{"outside of its folder", []item{python, {"lib/x", "-> ../../etc"}}},
		{"not relative", []item{python, {"lib/x", "-> /etc"}}},
		{"not relative", []item{python, {"lib/x", `-> ..\..\etc`}}},
		{"through the link lib", []item{python, {"lib", "-> share"}, {"lib/x", "x"}}},
		{"stands in a file", []item{python, {"lib", "x"}, {"lib/x", "x"}}},
		{"there twice", []item{python, {"lib/x", "x"}, {"lib/x", "y"}}},
		{"no file before it", []item{python, {"lib/x", "= lib/later"}}},
		{"neither a file", []item{python, {"dev/sda", "!"}}},
		{"holds no Python", []item{{"lib/x", "x"}}},
		{"part of another program", []item{{"python.exe", "x"}, {"python312._pth", "."}}},
	} {
		_, err := open(t, "cpython-3.12.4-x86_64-unknown-linux-gnu.tar.gz", c.items)
		var refused *Refusal
		require.ErrorAs(t, err, &refused, c.says)
		assert.Contains(t, err.Error(), c.says)
	}
	// A file that unpacks to far more than it is.
	_, err := open(t, "cpython-3.12.4-x86_64-unknown-linux-gnu.zip", []item{python, {"lib/x", string(make([]byte, 80<<20))}})
	var large *limits.Error
	assert.ErrorAs(t, err, &large)
	for name, text := range map[string]string{"cpython-3.12.4-linux_x86_64.tar.gz": "no archive", "cpython-3.12.4-linux_x86_64.zip": "no archive", "cpython-3.12.4-linux_x86_64.tar.xz": ""} {
		file := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		n, _ := Parse(name)
		_, err := Open(t.Context(), file, n, filepath.Join(t.TempDir(), "plain"))
		var refused *Refusal
		assert.ErrorAs(t, err, &refused, name)
	}
}

// standardItems are those of a file of PEP 711, with RECORD for them; change may alter them
// before and after RECORD is made.
func standardItems(change func(items map[string]string), after func(items map[string]string)) (out []item) {
	items := map[string]string{"bin/python3.12": "program", "bin/python": "-> python3.12", "lib/python3.12/os.py": "import sys",
		Folder + "/PYBI": "Pybi-Version: 1.0\nGenerator: press\nTag: linux_x86_64\n",
		Folder + "/METADATA": "Metadata-Version: 2.2\nName: cpython\nVersion: 3.12.4\nRequires-External: libssl.so.3\n" +
			"Pybi-Environment-Marker-Variables: {\"python_full_version\": \"3.12.4\"}\nPybi-Paths: {\"scripts\": \"bin\", \"stdlib\": \"lib/python3.12\"}\nPybi-Wheel-Tag: cp312-cp312-PLATFORM\nPybi-Wheel-Tag: py3-none-any\n"}
	if change != nil {
		change(items)
	}
	record := []metadata.RecordEntry{{Path: Folder + "/RECORD", Size: -1}}
	for path, text := range items {
		if to, ok := cut(text, "-> "); ok {
			record = append(record, metadata.RecordEntry{Path: path, Hash: "symlink=" + to, Size: -1})
			continue
		}
		record = append(record, metadata.RecordEntry{Path: path, Hash: metadata.RecordHash(sha256.Sum256([]byte(text))), Size: int64(len(text))})
	}
	items[Folder+"/RECORD"] = string(metadata.FormatRecord(record))
	if after != nil {
		after(items)
	}
	for path, text := range items {
		out = append(out, item{path, text})
	}
	return out
}

func TestStandard(t *testing.T) {
	a, err := open(t, "cpython-3.12.4-linux_x86_64.pybi", standardItems(nil, nil))
	require.NoError(t, err)
	assert.Equal(t, "bin/python", a.Program)
	assert.Equal(t, []string{"libssl.so.3"}, a.Standard.External)
	assert.Equal(t, fmt.Sprintf("%x", sha256.Sum256([]byte("program"))), a.Files[0].SHA256)

	a, err = open(t, "cpython-3.12.4-linux_x86_64.pybi", standardItems(func(m map[string]string) { m[Folder+"/PYBI"] = "Pybi-Version: 1.7\nTag: linux_x86_64\n" }, nil))
	require.NoError(t, err)
	assert.Contains(t, a.Standard.Warnings[0], "1.7")

	edit := func(name, old, new string) func(map[string]string) {
		return func(m map[string]string) {
			m[Folder+"/"+name] = string(bytes.ReplaceAll([]byte(m[Folder+"/"+name]), []byte(old), []byte(new)))
		}
	}
	for _, c := range []struct {
		says          string
		change, after func(map[string]string)
	}{
		{"of version 3.12.5", edit("METADATA", "Version: 3.12.4", "Version: 3.12.5"), nil},
		{"python_full_version is 3.12.5", edit("METADATA", `"3.12.4"`, `"3.12.5"`), nil},
		{"it is of pypy", edit("METADATA", "cpython", "pypy"), nil},
		{"has no place there", edit("METADATA", "Requires-External", "Requires-Dist"), nil},
		{"none that this program knows", edit("PYBI", "1.0", "2.0"), nil},
		{"not for linux_x86_64", edit("PYBI", "linux_x86_64", "win_amd64"), nil},
		{"no JSON object", edit("METADATA", `{"scripts"`, `{scripts`), nil},
		{"outside of its folder", edit("METADATA", `"bin"`, `"../bin"`), nil},
		{"would be the interpreter", edit("METADATA", `"bin"`, `"sbin"`), nil},
		{"RECORD does not list it", nil, func(m map[string]string) { m["lib/more.py"] = "x" }},
		{"it is not there", nil, func(m map[string]string) { delete(m, "lib/python3.12/os.py") }},
		{"RECORD says", nil, func(m map[string]string) { m["lib/python3.12/os.py"] = "import os, sys" }},
		{"as a link to", nil, func(m map[string]string) { m["bin/python"] = "-> ../lib/python3.12/os.py" }},
		{"PYBI: it is not there", func(m map[string]string) { delete(m, Folder+"/PYBI") }, nil},
	} {
		_, err := open(t, "cpython-3.12.4-linux_x86_64.pybi", standardItems(c.change, c.after))
		var refused *Refusal
		require.ErrorAs(t, err, &refused, c.says)
		assert.Contains(t, err.Error(), c.says)
	}
}

func FuzzParse(f *testing.F) {
	f.Add("cpython-3.12.4+20240713-x86_64_v3-unknown-linux-gnu.tar.zst")
	f.Add("cpython-3.12.4-1-manylinux_2_17_x86_64.linux_x86_64.pybi")
	f.Fuzz(func(t *testing.T, file string) {
		if n, ok := Parse(file); ok {
			assert.NotEmpty(t, n.Implementation)
			assert.True(t, n.Fault != "" || len(n.Platforms) > 0 || n.System != "", "it is for some system, or passed over")
		}
	})
}
