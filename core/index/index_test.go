package index_test

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/version"
	"glassjar/sample"
)

var ctx = context.Background()

var zeros = strings.Repeat("0", 64)

// answer serves one body for every path.
func answer(t *testing.T, kind, body string) string {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", kind)
		_, _ = io.WriteString(w, body)
	}))
	t.Cleanup(s.Close)
	return s.URL + "/deep/simple/"
}

func server(t *testing.T, at string) *index.Server {
	return index.NewServer("test", at, &fetch.Client{Retries: -1})
}

// Files come in one order, whatever the page's: the newest version first, and by name.
func TestNewestFirst(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for n := range 40 {
		var files []index.File
		for range n {
			v := version.MustParse(fmt.Sprintf("%d.%d", r.IntN(3), r.IntN(4)))
			files = append(files, index.File{Name: fmt.Sprintf("press-%s-%d.whl", v, r.IntN(3)), Version: v, Size: r.Int64()})
		}
		want := slices.Clone(files)
		slices.SortStableFunc(want, func(a, b index.File) int { return cmp.Or(b.Version.Compare(a.Version), cmp.Compare(a.Name, b.Name)) })
		index.SortNewestFirst(files)
		assert.Equal(t, want, files)
		assert.True(t, index.NewestFirst(files))
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

const page = `<html><head><base href="/files/"></head><body>
<a href="press-1.0-py3-none-any.whl#sha256=AB12000000000000000000000000000000000000000000000000000000000000" data-requires-python="&gt;=3.8" data-core-metadata="sha256=cd00000000000000000000000000000000000000000000000000000000000000">press-1.0-py3-none-any.whl</a>
<A HREF="../other/press-1.1-py3-none-any.whl" data-yanked="broken">press</A>
<a href="https://far.example/press-1.2.tar.gz#md5=00" data-dist-info-metadata="true" data-yanked="">x</a>
<a href="cider-1.0-py3-none-any.whl">another distribution</a>
<a href="readme.html">read me</a></body></html>`

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

func TestAnswersThatAreErrors(t *testing.T) {
	for code, want := range map[int]any{404: index.ErrUnknownName, 410: index.ErrUnknownName, 403: new(*fetch.StatusError), 501: new(*fetch.StatusError)} {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(code) }))
		_, err := server(t, s.URL).Files(ctx, "press")
		if sentinel, ok := want.(error); ok {
			assert.ErrorIs(t, err, sentinel)
		} else {
			assert.ErrorAs(t, err, want)
		}
		s.Close()
		_, err = server(t, s.URL).Files(ctx, "press")
		var network *fetch.NetworkError
		assert.ErrorAs(t, err, &network)
	}
	_, err := server(t, "http://orchard.example/simple").Files(ctx, "press")
	var insecure *fetch.InsecureError
	assert.ErrorAs(t, err, &insecure)
	_, err = index.NewServer("x", "https://orchard.example", &fetch.Client{Offline: true}).Files(ctx, "press")
	var offline *fetch.OfflineError
	assert.ErrorAs(t, err, &offline)
}

// The served sample is read back the same in both forms, through the client.
func TestServedIndexReadsBack(t *testing.T) {
	for _, only := range []string{"", "text/html"} {
		handler := http.Handler(index.Handler{Source: index.Sample{}})
		if only != "" {
			inner := handler
			handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				r.Header.Set("Accept", only)
				inner.ServeHTTP(w, r)
			})
		}
		s := httptest.NewServer(handler)
		defer s.Close()
		client := server(t, s.URL+"/simple/")
		names, err := client.Names(ctx)
		require.NoError(t, err)
		assert.Equal(t, sample.Names(), names)
		for _, name := range []string{"harvest-ledger", "pomace-compost", "swarm-count"} {
			want, err := index.Sample{}.Files(ctx, name)
			require.NoError(t, err)
			got, err := client.Files(ctx, name)
			require.NoError(t, err)
			require.Len(t, got, len(want))
			want = slices.Clone(want)
			index.SortNewestFirst(want)
			for i, f := range got {
				assert.Equal(t, want[i].Name, f.Name)
				assert.Equal(t, want[i].Hashes, f.Hashes)
				assert.Equal(t, want[i].RequiresPython, f.RequiresPython)
				assert.Equal(t, want[i].Yanked, f.Yanked, f.Name)
				assert.Equal(t, want[i].YankedReason, f.YankedReason, f.Name)
				assert.Equal(t, want[i].HasMetadata, f.HasMetadata)
				if only == "" {
					assert.Equal(t, want[i].Size, f.Size)
					assert.Equal(t, want[i].Uploaded, f.Uploaded)
				}
				if f.HasMetadata {
					data, err := client.Metadata(ctx, f)
					require.NoError(t, err)
					assert.Contains(t, string(data), "Name: "+name+"\n")
				}
			}
		}
		_, err = client.Files(ctx, "quince-jelly")
		assert.ErrorIs(t, err, index.ErrUnknownName)
	}
}

func TestHandlerNegotiates(t *testing.T) {
	h := index.Handler{Source: index.Sample{}}
	for accept, want := range map[string]string{
		"":             "text/html",
		"*/*":          "text/html",
		index.TypeJSON: index.TypeJSON,
		index.TypeHTML: index.TypeHTML,
		"text/html, " + index.TypeJSON + ";q=0.1": "text/html",
		"text/html;q=0.1, " + index.TypeJSON:      index.TypeJSON,
		"image/png":                               "",
	} {
		r := httptest.NewRequest("GET", "/simple/brixmeter/", nil)
		r.Host = "localhost:8800"
		r.Header.Set("Accept", accept)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if want == "" {
			assert.Equal(t, http.StatusNotAcceptable, w.Code, accept)
			continue
		}
		assert.Equal(t, http.StatusOK, w.Code, accept)
		assert.Equal(t, want, w.Header().Get("Content-Type"), accept)
	}
	for path, code := range map[string]int{"/": 301, "/simple": 301, "/simple/Brix_Meter/": 301, "/simple/brix-meter/": 404, "/files/nothing": 404, "/files/../../etc/passwd": 404, "/other": 404} {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1:8800"+path, nil))
		assert.Equal(t, code, w.Code, path)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("POST", "/simple/", nil))
	assert.Equal(t, http.StatusMethodNotAllowed, w.Code)
	for host, code := range map[string]int{"orchard.example": 421, "localhost.orchard.example:80": 421, "LOCALHOST": 200, "[::1]:9": 200} {
		r := httptest.NewRequest("GET", "http://"+host+"/simple/", nil)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		assert.Equal(t, code, w.Code, host)
	}
	r := httptest.NewRequest("GET", "/files/brixmeter-2.1-py2.py3-none-any.whl", nil)
	r.Host = "localhost:8800"
	r.Header.Set("Range", "bytes=0-3")
	w = httptest.NewRecorder()
	h.ServeHTTP(w, r)
	assert.Equal(t, http.StatusPartialContent, w.Code)
	assert.Equal(t, "PK\x03\x04", w.Body.String())
}

func TestFolder(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "more [odd] names"), 0o755))
	for n, f := range sample.Files("swarm-count") {
		into := dir
		if n%2 == 1 {
			into = filepath.Join(dir, "more [odd] names")
		}
		require.NoError(t, os.WriteFile(filepath.Join(into, f.Name), f.Data, 0o644))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "notes.txt"), nil, 0o644))
	folder := index.NewFolder("here", dir)
	names, err := folder.Names(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"swarm-count"}, names)
	files, err := folder.Files(ctx, "swarm-count")
	require.NoError(t, err)
	assert.Len(t, files, len(sample.Files("swarm-count")))
	for _, f := range files {
		assert.Len(t, f.SHA256(), 64)
		data, err := folder.Metadata(ctx, f)
		require.NoError(t, err)
		assert.Contains(t, string(data), "Name: swarm-count\n")
	}
	_, err = folder.Files(ctx, "press")
	assert.ErrorIs(t, err, index.ErrUnknownName)
	var bad *index.NotIndexError
	_, err = index.NewFolder("x", filepath.Join(dir, "nowhere")).Files(ctx, "press")
	assert.ErrorAs(t, err, &bad)
}

// named is an index that knows some names, or fails.
type named struct {
	name string
	has  map[string]bool
	err  error
}

func (n named) Name() string    { return n.name }
func (n named) Address() string { return n.name }
func (n named) Files(_ context.Context, name string) ([]index.File, error) {
	if n.err != nil {
		return nil, n.err
	}
	if !n.has[name] {
		return nil, index.ErrUnknownName
	}
	return []index.File{{Name: n.name}}, nil
}
func (n named) Names(context.Context) ([]string, error)              { return nil, nil }
func (n named) Metadata(context.Context, index.File) ([]byte, error) { return nil, nil }
func (n named) Inside(context.Context, index.File) (index.Inside, error) {
	return index.Inside{}, nil
}
func (n named) Open(context.Context, index.File) (io.ReadCloser, error) { return nil, nil }

// The first index that knows a name is the only one asked for it, and one that
// fails ends the search.
func TestOrderIsStrict(t *testing.T) {
	private := named{name: "private", has: map[string]bool{"press": true}}
	public := named{name: "public", has: map[string]bool{"press": true, "cider": true}}
	broken := named{name: "broken", err: errors.New("no answer")}
	for _, c := range []struct {
		name    string
		sources []index.Source
		pins    map[string]string
		ask     string
		want    string
	}{
		{"first", []index.Source{private, public}, nil, "press", "private"},
		{"second", []index.Source{private, public}, nil, "cider", "public"},
		{"none", []index.Source{private, public}, nil, "perry", "error"},
		{"pinned to the second", []index.Source{private, public}, map[string]string{"press": "public"}, "press", "public"},
		{"pinned to one that lacks it", []index.Source{private, public}, map[string]string{"cider": "private"}, "cider", "error"},
		{"pinned to one that is not there", []index.Source{public}, map[string]string{"press": "private"}, "press", "error"},
		{"an outage is no answer", []index.Source{broken, public}, nil, "press", "error"},
	} {
		files, _, err := (&index.Ordered{Sources: c.sources, Pins: c.pins}).Files(ctx, c.ask)
		got := "error"
		if err == nil {
			got = files[0].Name
		}
		assert.Equal(t, c.want, got, c.name)
	}
}

// An index is asked ahead for what the list of the one before it lacks. What it says counts only
// where that one does not know the name, whatever its list says.
func TestListsTellWhatToAskAhead(t *testing.T) {
	var behind sync.Map // by name: closed when the index behind is asked for it
	asked := func(name string) chan struct{} {
		ch, _ := behind.LoadOrStore(name, make(chan struct{}))
		return ch.(chan struct{})
	}
	page := func(w http.ResponseWriter, name string) {
		w.Header().Set("Content-Type", index.TypeJSON)
		fmt.Fprintf(w, `{"meta": {"api-version": "1.0"}, "files": [{"filename": "%[1]s-1.0-py3-none-any.whl", "url": "%[1]s-1.0-py3-none-any.whl", "hashes": {}}]}`, strings.ReplaceAll(name, "-", "_"))
	}
	for _, c := range []struct {
		name, list string
		ahead      bool
	}{
		{"a list", `{"meta": {"api-version": "1.0"}, "projects": [{"name": "cider"}]}`, true},
		{"no name in it", `{"meta": {"api-version": "1.0"}, "projects": []}`, false},
		{"no list", `welcome`, false},
		{"a long list", `{"meta": {"api-version": "1.0"}, "projects": [` + strings.Repeat(`{"name": "cider"},`, 100_000) + `{"name": "cider"}]}`, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			var early, lists atomic.Int32
			patience := 50 * time.Millisecond
			if c.ahead {
				patience = 500 * time.Millisecond // beside other work
			}
			private := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				name := strings.Trim(r.URL.Path, "/")
				switch {
				case name == "":
					lists.Add(1)
					w.Header().Set("Content-Type", index.TypeJSON)
					_, _ = w.Write([]byte(c.list))
				case name == "cider" || strings.HasPrefix(name, "unlisted"):
					page(w, name)
				default:
					select {
					case <-asked(c.name + name):
						early.Add(1)
					case <-time.After(patience):
					}
					http.NotFound(w, r)
				}
			}))
			defer private.Close()
			public := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				name := strings.Trim(r.URL.Path, "/")
				close(asked(c.name + name))
				page(w, name)
			}))
			defer public.Close()
			var o index.Ordered
			cache := t.TempDir()
			for again := range 2 {
				first := index.NewServer("private", private.URL, &fetch.Client{Cache: cache})
				t.Cleanup(first.Settle) // before the folder of the cache goes
				o = index.Ordered{Sources: []index.Source{first, index.NewServer("public", public.URL, &fetch.Client{})}}
				_, from, err := o.Files(ctx, "cider")
				require.NoError(t, err)
				assert.Equal(t, "private", from.Name())
				for n := 0; n < 6 && early.Load() == 0; n++ {
					name := fmt.Sprintf("perry%d-%d", again, n)
					_, from, err := o.Files(ctx, name)
					require.NoError(t, err)
					assert.Equal(t, "public", from.Name())
				}
				if c.name == "a long list" {
					known := func() bool {
						files, _ := filepath.Glob(filepath.Join(cache, "names", "*.large"))
						return len(files) == 1
					}
					require.Eventually(t, known, 20*time.Second, time.Millisecond)
				}
			}
			assert.Equal(t, c.ahead, early.Load() > 0)
			if c.name == "a long list" {
				assert.EqualValues(t, 1, lists.Load(), "that it is long is known for a day")
			}
			_, from, err := o.Files(ctx, "unlisted1")
			require.NoError(t, err)
			assert.Equal(t, "private", from.Name())
		})
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

// Without separate metadata it is read out of the remote wheel, in parts.
func TestMetadataByRanges(t *testing.T) {
	for _, f := range sample.Files("windfall-atlas")[:1] {
		var sent int
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			rec := httptest.NewRecorder()
			index.Handler{Source: index.Sample{}}.ServeHTTP(rec, r)
			sent += rec.Body.Len()
			for k, v := range rec.Header() {
				w.Header()[k] = v
			}
			w.WriteHeader(rec.Code)
			_, _ = w.Write(rec.Body.Bytes())
		}))
		defer s.Close()
		data, err := server(t, s.URL).Metadata(ctx, index.File{Name: f.Name, URL: s.URL + "/files/" + f.Name})
		require.NoError(t, err)
		assert.Equal(t, string(f.Metadata), string(data))
		assert.Less(t, sent, len(f.Data)/10)
	}
}

// What modules and scripts come to is sorted, each once.
func TestNewInside(t *testing.T) {
	in := index.NewInside([]string{"press/__init__.py", "must.py", "press/juice.py"}, []string{"weigh", "press", "weigh"})
	assert.Equal(t, []string{"must", "press"}, in.Imports)
	assert.Equal(t, []string{"press", "weigh"}, in.Scripts)
	empty := index.NewInside(nil, nil)
	assert.NotNil(t, empty.Imports)
	assert.NotNil(t, empty.Scripts)
}

// What was uploaded at the bound or later is left out; an index that does not say when is an
// error, not a guess.
func TestUntil(t *testing.T) {
	at := time.Date(2025, 1, 10, 0, 0, 0, 0, time.UTC)
	o := &index.Ordered{Sources: []index.Source{index.Sample{}}, Until: at}
	files, _, err := o.Files(context.Background(), "brixmeter")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		assert.True(t, f.Uploaded.Before(at), f.Name)
	}
	o.Until = time.Time{}
	all, _, err := o.Files(context.Background(), "orchard-core")
	require.NoError(t, err)
	o.Until = at
	some, _, err := o.Files(context.Background(), "orchard-core")
	require.NoError(t, err)
	assert.Less(t, len(some), len(all))
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "press-1.0-py3-none-any.whl"), nil, 0o644))
	o.Sources = []index.Source{index.NewFolder("here", dir)}
	_, _, err = o.Files(context.Background(), "press")
	var no *index.NoTimesError
	require.ErrorAs(t, err, &no)
	assert.Equal(t, "press-1.0-py3-none-any.whl", no.File)
}
