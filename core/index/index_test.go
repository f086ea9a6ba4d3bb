package index_test

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
	"glassjar/core/index"
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

const page = `<html><head><base href="/files/"></head><body>
<a href="press-1.0-py3-none-any.whl#sha256=AB12000000000000000000000000000000000000000000000000000000000000" data-requires-python="&gt;=3.8" data-core-metadata="sha256=cd00000000000000000000000000000000000000000000000000000000000000">press-1.0-py3-none-any.whl</a>
<A HREF="../other/press-1.1-py3-none-any.whl" data-yanked="broken">press</A>
<a href="https://far.example/press-1.2.tar.gz#md5=00" data-dist-info-metadata="true" data-yanked="">x</a>
<a href="cider-1.0-py3-none-any.whl">another distribution</a>
<a href="readme.html">read me</a></body></html>`

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
			want = index.NewestFirst(want)
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
	for _, misnamed := range []string{"swarm_count-9..0-py3-none-any.whl", "press-9..0-py3-none-any.whl"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, misnamed), nil, 0o644))
	}
	folder := index.NewFolder("here", dir)
	names, err := folder.Names(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"swarm-count"}, names)
	files, err := folder.Files(ctx, "swarm-count")
	require.NoError(t, err)
	last := files[len(files)-1]
	assert.Contains(t, last.Fault, "9..0 is not a version")
	files = files[:len(files)-1]
	assert.Len(t, files, len(sample.Files("swarm-count")))
	for _, f := range files {
		assert.Len(t, f.SHA256(), 64)
		data, err := folder.Metadata(ctx, f)
		require.NoError(t, err)
		assert.Contains(t, string(data), "Name: swarm-count\n")
	}
	files, err = folder.Files(ctx, "press")
	assert.ErrorIs(t, err, index.ErrUnknownName)
	assert.Len(t, files, 1, "the one that is misnamed")
	var bad *index.NotIndexError
	_, err = index.NewFolder("x", filepath.Join(dir, "nowhere")).Files(ctx, "press")
	assert.ErrorAs(t, err, &bad)
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
