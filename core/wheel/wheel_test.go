package wheel_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"hash/crc32"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
	"glassjar/core/wheel"
)

func crc(data string) uint32 { return crc32.ChecksumIEEE([]byte(data)) }

func open(t *testing.T, c *craft) (*wheel.Wheel, error) {
	data := c.bytes(t)
	return wheel.Open(bytes.NewReader(data), int64(len(data)), c.file, wheel.DefaultLimits)
}

func entries(w *wheel.Wheel) []string {
	var out []string
	for _, e := range w.Entries {
		text := e.Scheme + " " + e.Path
		if e.Executable {
			text += " *"
		}
		out = append(out, text)
	}
	return out
}

// What is unusual but legal is taken.
func TestOpen(t *testing.T) {
	for _, c := range []struct {
		name  string
		spoil func(*craft)
		want  []string // beside the description files
		warn  string
	}{
		{"plain", func(*craft) {}, []string{"purelib press/__init__.py"}, ""},
		{"platform root", func(c *craft) { c.format = strings.Replace(c.format, "true", "false", 1) }, []string{"platlib press/__init__.py"}, ""},
		{"every scheme", func(c *craft) {
			for _, s := range []string{"purelib", "platlib", "scripts", "headers", "data"} {
				c.members = append(c.members, member{name: "press-1.0.data/" + s + "/x-" + s})
			}
		}, []string{"data x-data", "headers x-headers", "platlib x-platlib", "purelib press/__init__.py", "purelib x-purelib", "scripts x-scripts"}, ""},
		{"executable bit", with(member{name: "press/tool", mode: 0o755}), []string{"purelib press/__init__.py", "purelib press/tool *"}, ""},
		{"packed members", func(c *craft) { c.members[0].method = zip.Deflate }, []string{"purelib press/__init__.py"}, ""},
		{"folders as members", with(member{name: "press/", mode: 0o755 | 1<<31, record: "-"}), []string{"purelib press/__init__.py"}, ""},
		{"signatures", func(c *craft) {
			c.members = append(c.members, member{name: c.info + "RECORD.jws", record: "-"}, member{name: c.info + "RECORD.p7s", record: "-"})
		}, []string{"purelib press/__init__.py"}, ""},
		{"a name that is not in normal form", func(c *craft) {
			c.file, c.info = "Press_Tool-1.0-py3-none-any.whl", "Press_Tool-1.0.dist-info/"
			c.metadata = "Metadata-Version: 2.1\nName: press.tool\nVersion: 1.0\n"
		}, []string{"purelib press/__init__.py"}, ""},
		{"a version that is not in normal form", func(c *craft) {
			c.file, c.info = "press-1.0.0_1-py3-none-any.whl", "press-1.0.0.post1.dist-info/"
			c.metadata = "Metadata-Version: 2.1\nName: press\nVersion: 1.0.0.post1\n"
			c.file = "press-1.0.0.post1-py3-none-any.whl"
		}, []string{"purelib press/__init__.py"}, ""},
		{"build number and several tags", func(c *craft) { c.file = "press-1.0-3x-py2.py3-none-any.whl" }, []string{"purelib press/__init__.py"}, ""},
		{"a higher minor version of the format", func(c *craft) { c.format = strings.Replace(c.format, "1.0", "1.9", 1) }, []string{"purelib press/__init__.py"}, "1.9"},
		{"a stronger hash", func(c *craft) {
			sum := sha512.Sum512([]byte("x = 1\n"))
			c.members[0].record = "press/__init__.py,sha512=" + base64.RawURLEncoding.EncodeToString(sum[:]) + ",6\n"
		}, []string{"purelib press/__init__.py"}, ""},
		{"no size in RECORD", func(c *craft) {
			c.members[0].record = strings.Replace(line("press/__init__.py", "x = 1\n"), ",6\n", ",\n", 1)
		}, []string{"purelib press/__init__.py"}, ""},
		{"names that only Windows refuses", with(member{name: "press/aux.py"}), []string{"purelib press/__init__.py", "purelib press/aux.py"}, ""},
	} {
		w := good()
		c.spoil(w)
		opened, err := open(t, w)
		if !assert.NoError(t, err, c.name) {
			continue
		}
		var got []string
		for _, e := range entries(opened) {
			if !strings.Contains(e, ".dist-info/") {
				got = append(got, e)
			}
		}
		assert.Equal(t, c.want, got, c.name)
		if c.warn == "" {
			assert.Empty(t, opened.Warnings, c.name)
		} else {
			assert.Contains(t, strings.Join(opened.Warnings, "\n"), c.warn, c.name)
		}
		for _, e := range opened.Entries {
			var b bytes.Buffer
			require.NoError(t, opened.Copy(&b, e), c.name)
			assert.EqualValues(t, e.Size, b.Len())
		}
	}
}

func TestArchiveWithAHeadIsRead(t *testing.T) {
	data := append([]byte("#!/bin/sh\nexit 1\n"), good().bytes(t)...)
	w, err := wheel.Open(bytes.NewReader(data), int64(len(data)), "press-1.0-py3-none-any.whl", wheel.DefaultLimits)
	require.NoError(t, err)
	assert.Equal(t, "press", w.Metadata.Name)
}

func TestWriteIsReproducible(t *testing.T) {
	spec := wheel.Spec{Name: "Press.Tool", Version: version.MustParse("1.0+local.1"), Build: "2", Tag: "py2.py3-none-any",
		Metadata:    []byte("Metadata-Version: 2.1\nName: Press.Tool\nVersion: 1.0+local.1\n"),
		EntryPoints: []byte("[console_scripts]\npress = press:main\n"),
		Files:       []wheel.File{{Path: "press/b.py", Data: []byte("b")}, {Path: "press/a.py", Data: []byte("a"), Executable: true}}}
	assert.Equal(t, "press_tool-1.0+local.1-2-py2.py3-none-any.whl", spec.FileName())
	var first, again bytes.Buffer
	require.NoError(t, wheel.Write(&first, spec))
	spec.Files[0], spec.Files[1] = spec.Files[1], spec.Files[0]
	require.NoError(t, wheel.Write(&again, spec))
	assert.Equal(t, first.Bytes(), again.Bytes())

	w, err := wheel.Open(bytes.NewReader(first.Bytes()), int64(first.Len()), spec.FileName(), wheel.LimitsFor("windows"))
	require.NoError(t, err)
	assert.Equal(t, []string{
		"purelib press/a.py *", "purelib press/b.py",
		"purelib press_tool-1.0+local.1.dist-info/METADATA",
		"purelib press_tool-1.0+local.1.dist-info/WHEEL",
		"purelib press_tool-1.0+local.1.dist-info/entry_points.txt",
	}, entries(w))
	assert.Equal(t, "2", w.Format.Build)
	assert.Len(t, w.Format.Tags, 2)
	z, err := zip.NewReader(bytes.NewReader(first.Bytes()), int64(first.Len()))
	require.NoError(t, err)
	assert.Equal(t, "press_tool-1.0+local.1.dist-info/RECORD", z.File[len(z.File)-1].Name)
}

// More members than the first zip format can count (zip64).
func TestManyMembers(t *testing.T) {
	c := good()
	for n := range 66_000 {
		c.members = append(c.members, member{name: fmt.Sprintf("press/%05d", n)})
	}
	w, err := open(t, c)
	require.NoError(t, err)
	assert.Len(t, w.Entries, 66_003)
}
