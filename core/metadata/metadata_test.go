package metadata_test

import (
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/vectors"
	"glassjar/core/metadata"
)

func TestWheelNameVectors(t *testing.T) {
	for _, c := range vectors.Load(t).WheelNames {
		w, err := metadata.ParseWheelName(c.File)
		if !c.Valid {
			assert.ErrorIs(t, err, metadata.ErrInvalid, c.File)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, c.Name, w.Name)
		assert.Equal(t, c.Version, w.Version.String())
		var want metadata.Build
		if c.Build != nil {
			want = metadata.Build{Number: c.Build.Number.String(), Suffix: c.Build.Suffix}
		}
		assert.Equal(t, want, w.Build, c.File)
		var list []string
		for _, tag := range w.Tags {
			list = append(list, tag.String())
		}
		sort.Strings(list)
		assert.Equal(t, c.Tags, list)
	}
}

// A browser names a second copy so.
func TestNameOfCopy(t *testing.T) {
	_, err := metadata.ParseWheelName("press-1.0-py3-none-any (1).whl")
	assert.ErrorContains(t, err, "a tag has no ' '")
}

func TestSdistNameVectors(t *testing.T) {
	for _, c := range vectors.Load(t).SdistNames {
		s, err := metadata.ParseSdistName(c.File)
		if !c.Valid {
			assert.ErrorIs(t, err, metadata.ErrInvalid, c.File)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, c.Name, s.Name)
		assert.Equal(t, c.Version, s.Version.String())
	}
}

func TestBuildOrder(t *testing.T) {
	list := []metadata.Build{{}, {Number: "1"}, {Number: "1", Suffix: "a"}, {Number: "2"}, {Number: "10"}}
	for i := 1; i < len(list); i++ {
		assert.True(t, list[i-1].Less(list[i]) && !list[i].Less(list[i-1]), "%v", list[i])
	}
}

const sample = "Metadata-Version: 2.4\r\nName: Press.Schedule\r\nVersion: 1.0-1\nSummary: When to press\nAuthor-email: Ada <ada@orchard.example>\n" +
	"License-Expression: MIT\nClassifier: Development Status :: 4 - Beta\nRequires-Python: >=3.8\nRequires-Dist: brixmeter (>=1.0)\n" +
	"Requires-Dist: must-core; extra == 'Deep_Cellar'\nProvides-Extra: Deep_Cellar\nProject-URL: Code, https://orchard.example/code\n" +
	"Keywords: cider\n and perry\nDynamic: License-File\nX-Unknown: yes\n\nThe body.\n\nMore.\n"

func TestParse(t *testing.T) {
	m, err := metadata.Parse([]byte(sample))
	require.NoError(t, err)
	assert.Equal(t, "press-schedule", m.Key())
	assert.Equal(t, "1.0.post1", m.Version.String())
	assert.Equal(t, ">=3.8", m.RequiresPython.String())
	assert.Equal(t, []string{"deep-cellar"}, m.Extras)
	assert.Equal(t, `must-core; extra == "Deep_Cellar"`, m.Requires[1].String())
	assert.Equal(t, []metadata.Link{{Label: "Code", URL: "https://orchard.example/code"}}, m.Links)
	assert.Equal(t, "cider\n and perry", m.Keywords)
	assert.Equal(t, "MIT", m.LicenseExpression)
	for name, bad := range map[string]string{
		"no name":      "Metadata-Version: 2.1\nVersion: 1\n",
		"no version":   "Metadata-Version: 2.1\nName: a\n",
		"bad name":     "Name: -a\nVersion: 1\n",
		"bad version":  "Name: a\nVersion: one\n",
		"bad python":   "Name: a\nVersion: 1\nRequires-Python: three\n",
		"too new":      "Metadata-Version: 3.0\nName: a\nVersion: 1\n",
		"not a header": "Name: a\nVersion 1\n",
		"continuation": "  a\nName: b\n",
	} {
		_, err := metadata.Parse([]byte(bad))
		assert.ErrorIs(t, err, metadata.ErrInvalid, name)
	}
	// What cannot be read counts where it applies only, and is quoted whole.
	odd, err := metadata.Parse([]byte("Name: a\nVersion: 1\nRequires-Python: >=3.7,\nRequires-Dist: must (1.0)\nRequires-Dist: brix (>=1.0,)\nRequires-Dist: cider (>dev); extra == 'x'\n"))
	require.NoError(t, err)
	assert.Equal(t, ">=3.7", odd.RequiresPython.String())
	assert.Equal(t, "must==1.0.*", odd.Requires[0].String())
	assert.Equal(t, "brix>=1.0", odd.Requires[1].String())
	require.Len(t, odd.Unread, 1)
	assert.Equal(t, `extra == "x"`, odd.Unread[0].Marker.String())
	assert.Contains(t, odd.Unread[0].Fault().Error(), `Requires-Dist "cider (>dev); extra == 'x'"`)
	older, err := metadata.Parse([]byte("Metadata-Version: 1.0\nName: a\nVersion: 1\nLicense: one\n       |two\nHome-page: https://orchard.example\n\nNot: a field"))
	require.NoError(t, err)
	assert.Equal(t, "one\ntwo", older.License)
	assert.Equal(t, "https://orchard.example", older.HomePage)
}

// Bounds: what is larger than anybody's is refused, and read in no more than its length.
func TestBounds(t *testing.T) {
	long := "Name: a\nVersion: 1\nKeywords: x\n" + strings.Repeat("  more\n", 300_000)
	m, err := metadata.Parse([]byte(long))
	require.NoError(t, err)
	assert.Len(t, m.Keywords, 1+300_000*len("\n  more"))
	_, err = metadata.Parse([]byte("Name: a\nVersion: 1\n" + strings.Repeat("Classifier: x\n", 30_000)))
	assert.ErrorIs(t, err, metadata.ErrInvalid)
	m, err = metadata.Parse([]byte("Name: a\nVersion: 1\nRequires-Dist: b" + strings.Repeat("!=1,", 1000) + "!=2\nRequires-Dist: c[" + strings.Repeat("x,", 1000) + "y]\nRequires-Dist: " + strings.Repeat("d", 100_000) + "\n"))
	require.NoError(t, err)
	assert.Len(t, m.Unread, 3)
	_, err = metadata.Parse([]byte("Name: a\nVersion: 1\nRequires-Python: " + strings.Repeat(">1,", 1000) + ">2\n"))
	assert.ErrorContains(t, err, "more than 200 parts")
}

func TestRecordRoundTrip(t *testing.T) {
	in := []metadata.RecordEntry{{Path: "b/\"quoted\", name.py", Hash: metadata.RecordHash([32]byte{1}), Size: 3}, {Path: "a/RECORD", Size: -1}}
	text := metadata.FormatRecord(in)
	out, err := metadata.ParseRecord(text)
	require.NoError(t, err)
	assert.Equal(t, []metadata.RecordEntry{in[1], in[0]}, out)
	hex, ok := metadata.HexOfRecordHash(in[0].Hash)
	assert.True(t, ok)
	assert.Len(t, hex, 64)
	for _, bad := range []string{"a,b,c,d\n", "a,sha256=x,many\n", ",,\n", "\"a\n", "a,,-4\n"} {
		_, err := metadata.ParseRecord([]byte(bad))
		assert.ErrorIs(t, err, metadata.ErrInvalid, bad)
	}
}

func TestEntryPoints(t *testing.T) {
	list, faults := metadata.ParseEntryPoints([]byte("# made by hand\n[gui_scripts]\nview = a.b : main.run\n\n[ console_scripts ]\npress-schedule=press_schedule.cli:main [deep, wide]\n[other]\nx = y\n"))
	require.Empty(t, faults)
	assert.Equal(t, []metadata.EntryPoint{
		{Group: "console_scripts", Name: "press-schedule", Module: "press_schedule.cli", Attr: "main", Extras: []string{"deep", "wide"}},
		{Group: "gui_scripts", Name: "view", Module: "a.b", Attr: "main.run"},
		{Group: "other", Name: "x", Module: "y"},
	}, list)
	for i, want := range []bool{true, true, false} {
		ok, err := list[i].Script()
		assert.NoError(t, err)
		assert.Equal(t, want, ok)
	}
	for bad, left := range map[string]int{"a = b:c\n[x]\nc=d:e\n": 1, "[x]\na b\nc=d:e\n": 1, "[x\na=b:c\n": 0, "[x]\na=b:c\na=b:d\nc=d:e": 2} {
		list, faults := metadata.ParseEntryPoints([]byte(bad))
		assert.Len(t, list, left, bad)
		assert.NotEmpty(t, faults, bad)
	}
	for _, e := range []metadata.EntryPoint{
		{Group: "console_scripts", Name: "../a", Module: "b", Attr: "c"}, {Group: "console_scripts", Name: "..", Module: "b", Attr: "c"},
		{Group: "console_scripts", Name: "a", Module: "b"}, {Group: "gui_scripts", Name: "a", Module: "b", Attr: "1"},
	} {
		_, err := e.Script()
		assert.ErrorIs(t, err, metadata.ErrInvalid, "%v", e)
	}
}

func TestWheelFileAndDirectURL(t *testing.T) {
	w, err := metadata.ParseWheelFile([]byte("Wheel-Version: 1.0\nGenerator: x\nRoot-Is-Purelib: false\nTag: cp39-abi3-linux_x86_64\nTag: py3-none-any\nBuild: 3\n"))
	require.NoError(t, err)
	assert.False(t, w.Purelib)
	assert.Len(t, w.Tags, 2)
	_, err = metadata.ParseWheelFile([]byte("Generator: x\n"))
	assert.ErrorIs(t, err, metadata.ErrInvalid)

	d := metadata.DirectURL{URL: "file:///a&b.whl", ArchiveInfo: &metadata.ArchiveInfo{Hashes: map[string]string{"sha256": "ab"}}}
	assert.Equal(t, `{"url":"file:///a&b.whl","archive_info":{"hashes":{"sha256":"ab"}}}`+"\n", string(d.Format()))
	again, err := metadata.ParseDirectURL(d.Format())
	require.NoError(t, err)
	assert.Equal(t, d, again)
	for _, bad := range []string{"{", `{"url":"x"}`, `{"dir_info":{}}`, `{"url":"x","dir_info":{},"archive_info":{}}`} {
		_, err := metadata.ParseDirectURL([]byte(bad))
		assert.ErrorIs(t, err, metadata.ErrInvalid, bad)
	}
}

// Parsers take any bytes: they return values or errors, and what a writer
// makes of the values reads back the same.
func fuzzed(f *testing.F, try func(*testing.T, []byte), seeds ...string) {
	for _, s := range seeds {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) { try(t, data) })
}

func FuzzMetadata(f *testing.F) {
	fuzzed(f, func(t *testing.T, data []byte) {
		if m, err := metadata.Parse(data); err == nil {
			require.NotEmpty(t, m.Key())
			require.NotEmpty(t, m.Version.String())
		}
		_, _ = metadata.ParseWheelFile(data)
	}, sample, "Wheel-Version: 1.0\nTag: py3-none-any\n")
}

func FuzzRecord(f *testing.F) {
	fuzzed(f, func(t *testing.T, data []byte) {
		if list, err := metadata.ParseRecord(data); err == nil {
			again, err := metadata.ParseRecord(metadata.FormatRecord(list))
			require.NoError(t, err)
			require.Len(t, again, len(list))
		}
	}, "a/b.py,sha256=abc,3\nRECORD,,\n")
}

func FuzzEntryPoints(f *testing.F) {
	fuzzed(f, func(t *testing.T, data []byte) {
		list, _ := metadata.ParseEntryPoints(data)
		for _, e := range list {
			if ok, err := e.Script(); ok && err == nil {
				require.NotContains(t, e.Name, "/")
			}
		}
		_, _ = metadata.ParseDirectURL(data)
	}, "[console_scripts]\na = b:c\n", `{"url":"x","dir_info":{}}`)
}

func FuzzFileNames(f *testing.F) {
	fuzzed(f, func(t *testing.T, data []byte) {
		if w, err := metadata.ParseWheelName(string(data)); err == nil {
			require.NotEmpty(t, w.Tags)
		}
		_, _ = metadata.ParseSdistName(string(data))
	}, "a_b-1.0-2x-py3-none-any.whl", "a-1.0.tar.gz")
}
