package index_test

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/index"
	"glassjar/core/version"
)

// Files come in one order, whatever the page's: the newest version first, and by name.
func TestNewestFirst(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for n := range 40 {
		files := []index.File{}
		for range n {
			v := version.MustParse(fmt.Sprintf("%d.%d", r.IntN(3), r.IntN(4)))
			files = append(files, index.File{Name: fmt.Sprintf("press-%s-%d.whl", v, r.IntN(3)), Version: v, Size: r.Int64()})
		}
		want := slices.Clone(files)
		slices.SortStableFunc(want, func(a, b index.File) int { return cmp.Or(b.Version.Compare(a.Version), cmp.Compare(a.Name, b.Name)) })
		at := r.IntN(len(files) + 1)
		assert.Equal(t, want, index.NewestFirst(files[:at], nil, files[at:]))
		sorted := index.NewestFirst(files)
		assert.Equal(t, want, sorted)
		assert.Equal(t, want, index.NewestFirst(sorted))
	}
}

// An address that is taken as it stands is what taking it apart would have given.
func TestPlainAddresses(t *testing.T) {
	base, err := url.Parse("https://index.example/simple/press/")
	require.NoError(t, err)
	plain := 0
	for _, scheme := range []string{"https://", "http://", "HTTPS://", "file://", "//", ""} {
		for _, host := range []string{"far.example", "far.example:8443", "far.example:", "far.example:x", "a@far.example", ""} {
			for _, inside := range []string{"/a/press-1.0.whl", "/a/../b", "/./b", "/.b", "/a//b", "/a b", "/a%20b", "/a?b", "/a#b", "/a/", "/", "", "/A_b"} {
				address := scheme + host + inside
				if !index.PlainAddress(address) {
					continue
				}
				plain++
				at, err := base.Parse(address)
				require.NoError(t, err, address)
				assert.Equal(t, at.String(), address)
			}
		}
	}
	assert.Equal(t, 12, plain)
}

func TestHTMLPage(t *testing.T) {
	at := answer(t, "text/html; charset=utf-8", page)
	files, err := server(t, at).Files(ctx, "press")
	require.NoError(t, err)
	require.Len(t, files, 3)
	slices.Reverse(files) // the newest comes first
	root := strings.TrimSuffix(at, "/deep/simple/")
	assert.Equal(t, root+"/files/press-1.0-py3-none-any.whl", files[0].URL)
	assert.Equal(t, map[string]string{"sha256": "ab12" + zeros[4:]}, files[0].Hashes.ByName())
	assert.Equal(t, ">=3.8", files[0].RequiresPython)
	assert.True(t, files[0].HasMetadata)
	assert.Equal(t, "cd"+zeros[2:], files[0].MetadataHashes.SHA256)
	assert.False(t, files[0].Yanked)
	assert.Equal(t, root+"/other/press-1.1-py3-none-any.whl", files[1].URL)
	assert.True(t, files[1].Yanked)
	assert.Equal(t, "broken", files[1].YankedReason)
	assert.False(t, files[1].HasMetadata)
	assert.Equal(t, "https://far.example/press-1.2.tar.gz", files[2].URL)
	assert.True(t, files[2].Yanked && files[2].HasMetadata)
	assert.Nil(t, files[2].Wheel)
	assert.EqualValues(t, -1, files[2].Size)
}

func TestJSONPage(t *testing.T) {
	at := answer(t, index.TypeJSON, `{"meta": {"api-version": "1.3"}, "name": "press", "files": [
	{"filename": "press-1.0-py3-none-any.whl", "url": "../../x/press-1.0-py3-none-any.whl", "hashes": {"sha256": "`+zeros+`"}, "requires-python": null, "size": 12,
	 "upload-time": "2024-01-02T03:04:05.5+01:00", "core-metadata": {"sha256": "`+zeros+`"}, "yanked": false},
	{"filename": "press-1.1-py3-none-any.whl", "url": "https://far.example/a", "hashes": {}, "yanked": "slow", "dist-info-metadata": true},
	{"filename": "press-1.2-py3-none-any.whl", "url": "b", "hashes": {}, "yanked": true, "core-metadata": false}]}`)
	files, err := server(t, at).Files(ctx, "press")
	require.NoError(t, err)
	require.Len(t, files, 3)
	slices.Reverse(files) // the newest comes first
	assert.True(t, strings.HasSuffix(files[0].URL, "/deep/x/press-1.0-py3-none-any.whl"), files[0].URL)
	assert.EqualValues(t, 12, files[0].Size)
	assert.Equal(t, "2024-01-02T02:04:05.5Z", files[0].Uploaded.Format("2006-01-02T15:04:05.999Z07:00"))
	assert.True(t, files[0].HasMetadata && files[1].HasMetadata && !files[2].HasMetadata)
	assert.Equal(t, "slow", files[1].YankedReason)
	assert.True(t, files[1].Yanked && files[2].Yanked && !files[0].Yanked)
}

// What a page in JSON says of its files is what a library for JSON reads there, however it is written,
// and in the same order, of however many files.
func TestEntriesInAnyForm(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	base, err := url.Parse("https://index.example/simple/press/")
	require.NoError(t, err)
	space := func() string { return strings.Repeat([]string{" ", "\n", "\t", "\r"}[r.IntN(4)], r.IntN(3)/2) }
	quoted := func(text string) string {
		var out strings.Builder
		for _, c := range text {
			if r.IntN(12) == 0 {
				fmt.Fprintf(&out, `\u%04x`, c)
			} else if c == '"' || c == '\\' {
				out.WriteString("\\" + string(c))
			} else {
				out.WriteRune(c)
			}
		}
		return space() + `"` + out.String() + `"` + space()
	}
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	for _, count := range []int{0, 1, 7, 900} {
		var entries []string
		for n := range count {
			name := fmt.Sprintf("press-1.%d-py3-none-any.whl", n)
			members := map[string]string{
				"filename": quoted(name), "url": quoted(one("https://far.example/a/"+name, "../../"+name, "https://far.example/a%20b/"+name)),
				"hashes": one("{}", "{"+quoted("sha256")+":"+quoted(one(strings.Repeat("ab", 32), strings.Repeat("Ab", 32)))+"}"),
			}
			for key, value := range map[string]string{
				"requires-python": quoted(one(">=3.8", `>=3.8, !=3.9.*`)), "yanked": one("true", "false", quoted(`it "leaks"\{`)), "size": one("12", "0", "null"),
				"upload-time": quoted(one("2024-01-02T03:04:05Z", "2024-01-02T03:04:05.123456+01:00")), "core-metadata": one("true", "false", "{"+quoted("sha256")+":"+quoted(strings.Repeat("0c", 32))+"}"),
				"other}": one(`[{"a": [1, "]"]}, -1.5e3]`, "null", quoted("}{[")), "gpg-sig": "false",
			} {
				if r.IntN(3) > 0 {
					members[key] = value
				}
			}
			var list []string
			for key, value := range members {
				list = append(list, quoted(key)+":"+space()+value)
			}
			entries = append(entries, space()+"{"+space()+strings.Join(list, ",")+"}"+space())
		}
		page := `{"meta": {"api-version": "1.1"}, "files": [` + strings.Join(entries, ",") + `]}`
		var want struct{ Files []map[string]any }
		require.NoError(t, json.Unmarshal([]byte(page), &want))
		files, err := index.ParsePage([]byte(page), false, base)
		require.NoError(t, err)
		require.Len(t, files, len(want.Files))
		for i, w := range want.Files {
			f := files[i]
			text := func(key string) string { s, _ := w[key].(string); return s }
			at, err := base.Parse(text("url"))
			require.NoError(t, err)
			size, sized := w["size"].(float64)
			if !sized {
				size = -1
			}
			var uploaded time.Time
			if w["upload-time"] != nil {
				uploaded, err = time.Parse(time.RFC3339, text("upload-time"))
				require.NoError(t, err)
			}
			sums := func(key string) string {
				of, _ := w[key].(map[string]any)
				sum, _ := of["sha256"].(string)
				return strings.ToLower(sum)
			}
			_, listed := w["core-metadata"].(map[string]any)
			assert.Equal(t, []any{text("filename"), at.String(), sums("hashes"), text("requires-python"), text("yanked"), w["yanked"] == true || text("yanked") != "",
				int64(size), uploaded.UTC(), listed || w["core-metadata"] == true, sums("core-metadata")},
				[]any{f.Name, f.URL, f.SHA256(), f.RequiresPython, f.YankedReason, f.Yanked, f.Size, f.Uploaded, f.HasMetadata, f.MetadataHashes.SHA256}, entries[i])
		}
	}
}

// Of several faults the first on the page is told, whichever part of it is looked at first.
func TestTheFirstFaultIsTold(t *testing.T) {
	entry := func(n int, sum string) string {
		return fmt.Sprintf(`{"filename": "press-1.%d-py3-none-any.whl", "url": "press-1.%d-py3-none-any.whl", "hashes": {"sha256": %q}}`, n, n, sum)
	}
	var entries []string
	for n := range 4000 {
		sum := zeros
		if n == 1700 || n > 3000 {
			sum = "none"
		}
		entries = append(entries, entry(n, sum))
	}
	for range 5 {
		_, err := server(t, answer(t, index.TypeJSON, `{"meta": {"api-version": "1.0"}, "files": [`+strings.Join(entries, ",")+`]}`)).Files(ctx, "press")
		assert.ErrorContains(t, err, "it gives a hash that is none, for press-1.1700-py3-none-any.whl")
	}
}

func TestPagesThatAreNoIndex(t *testing.T) {
	for name, c := range map[string]struct{ kind, body string }{
		"a page of something else":   {"text/html", "<html><a href='/login'>log in</a></html>"},
		"plain text":                 {"text/plain", "hello"},
		"nothing":                    {"text/html", ""},
		"JSON of something else":     {"application/json", `{"hello": "world"}`},
		"JSON that is cut off":       {index.TypeJSON, `{"meta": {"api-version": "1.0"}, "files": [`},
		"a later API in JSON":        {index.TypeJSON, `{"meta": {"api-version": "2.0"}, "files": []}`},
		"a later API in HTML":        {"text/html", `<meta name="pypi:repository-version" content="2.0"><a href="press-1.0-py3-none-any.whl">x</a>`},
		"JSON without a version":     {index.TypeJSON, `{"files": []}`},
		"a list in place of a table": {index.TypeJSON, `[]`},
		"a damaged name":             {index.TypeJSON, `{"meta": {"api-version": "1.0"}, "files": [{"filename": "press-1.0-py3-none-any.whl", "url": "a", "hashes": {}, "yank` + "\xe5" + `d": true}]}`},
		"a hash that is none":        {"text/html", `<a href="press-1.0-py3-none-any.whl#sha256=5v">x</a>`},
	} {
		var bad *index.NotIndexError
		_, err := server(t, answer(t, c.kind, c.body)).Files(ctx, "press")
		assert.ErrorAs(t, err, &bad, name)
	}
	// An empty page that says what it is lists nothing.
	files, err := server(t, answer(t, "text/html", `<meta name="pypi:repository-version" content="1.0"><title>Links for press</title>`)).Files(ctx, "press")
	assert.NoError(t, err)
	assert.Empty(t, files)
}

// A page that comes damaged, each time in another way, is asked for until it comes whole; one
// that stays as it is is asked for twice.
func TestPagesThatAreDamagedOnTheWay(t *testing.T) {
	whole := `{"meta": {"api-version": "1.0"}, "files": [{"filename": "press-1.0-py3-none-any.whl", "url": "press-1.0-py3-none-any.whl", "hashes": {"sha256": "` + zeros + `"}}]}`
	for name, c := range map[string]struct {
		damage func(n int) string
		asked  int
		whole  bool
	}{
		"four times":  {func(n int) string { return strings.Replace(whole, "000000", strings.Repeat("p", n)+"000000"[n:], 1) }, 5, true},
		"each time":   {func(n int) string { return whole[:n] }, 6, false},
		"as it stays": {func(int) string { return whole[1:] }, 2, false},
	} {
		asked := 0
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			asked++
			body := whole
			if asked < 5 || !c.whole {
				body = c.damage(asked)
			}
			w.Header().Set("Content-Type", index.TypeJSON)
			_, _ = io.WriteString(w, body)
		}))
		files, err := server(t, s.URL).Files(ctx, "press")
		s.Close()
		assert.Equal(t, c.asked, asked, name)
		if c.whole {
			assert.NoError(t, err, name)
			assert.Len(t, files, 1, name)
		} else {
			assert.ErrorAs(t, err, new(*index.NotIndexError), name)
		}
	}
}

func FuzzPages(f *testing.F) {
	f.Add([]byte(page), true)
	f.Add([]byte("<a href=press.whl>"), true)
	f.Add([]byte(`{"meta": {"api-version": "1.0"}, "files": [{"filename": "press-1.0-py3-none-any.whl", "url": "x", "yanked": "y", "core-metadata": {}}]}`), false)
	at, err := url.Parse("https://a.example/simple/press/")
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, data []byte, html bool) {
		files, err := index.ParsePage(data, html, at)
		for _, file := range files {
			require.NoError(t, err)
			require.Equal(t, file.Fault == "", file.Distribution != "", file.Name)
		}
	})
}
