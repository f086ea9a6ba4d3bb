package index_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/limits"
)

// The list of names is asked for once in a while, and an old one is better than
// none.
func TestNamesAreKept(t *testing.T) {
	var asked atomic.Int64
	down := false
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		if down {
			http.Error(w, "no", http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", index.TypeJSON)
		w.Header().Set("Cache-Control", "no-store")
		fmt.Fprint(w, `{"meta": {"api-version": "1.1"}, "projects": [{"name": "Press_House"}, {"name": "apple"}, {"name": "apple"}, {"name": "bad name"}]}`)
	}))
	defer s.Close()
	cache := t.TempDir()
	names := func(offline bool) []string {
		client := &fetch.Client{Retries: -1, Cache: cache, Offline: offline}
		list, err := index.NewServer("x", s.URL+"/simple/", client).Names(ctx)
		require.NoError(t, err)
		return list
	}
	want := []string{"apple", "press-house"}
	assert.Equal(t, want, names(false))
	assert.Equal(t, want, names(false))
	assert.Equal(t, want, names(true))
	assert.Equal(t, int64(1), asked.Load())
	kept, err := filepath.Glob(filepath.Join(cache, "names", "*.txt"))
	require.NoError(t, err)
	require.Len(t, kept, 1)
	old := time.Now().Add(-2 * time.Hour)
	require.NoError(t, os.Chtimes(kept[0], old, old))
	assert.Equal(t, want, names(false))
	assert.Equal(t, int64(2), asked.Load(), "an old list is asked for anew")
	require.NoError(t, os.Chtimes(kept[0], old, old))
	down = true
	assert.Equal(t, want, names(false), "an old list is better than none")
	require.NoError(t, os.Remove(kept[0]))
	_, err = index.NewServer("x", s.URL+"/simple/", &fetch.Client{Retries: -1, Cache: cache}).Names(ctx)
	assert.Error(t, err)
}

// In whatever order names come and how often, they are the same sorted list, in memory and as kept.
func TestNamesAreSorted(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 4))
	shuffle := func(list []string) { r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] }) }
	for _, count := range []int{1, 7, 1<<14 - 1, 1 << 14, 1<<14 + 1, 100_000} {
		for name, order := range map[string]func([]string) []string{
			"sorted": func(list []string) []string { return list },
			"backwards": func(list []string) []string {
				slices.Reverse(list)
				return list
			},
			"anyhow": func(list []string) []string {
				shuffle(list)
				return list
			},
			"twice": func(list []string) []string { return append(list, list...) },
			"some again, anyhow": func(list []string) []string {
				list = append(list, list[:len(list)/3]...)
				shuffle(list)
				return list
			},
		} {
			var want []string
			for i := range count {
				want = append(want, []string{"a", "cider-", "orchard-press-"}[i%3]+strconv.Itoa(i))
			}
			slices.Sort(want)
			var body strings.Builder
			for _, n := range order(slices.Clone(want)) {
				body.WriteString(`,{"name":"` + n + `"}`)
			}
			s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", index.TypeJSON)
				fmt.Fprintf(w, `{"meta":{"api-version":"1.1"},"projects":[%s]}`, body.String()[1:])
			}))
			client := &fetch.Client{Retries: -1, Cache: t.TempDir()}
			have, err := index.NewServer("x", s.URL, client).Names(ctx)
			s.Close()
			require.NoError(t, err)
			require.True(t, slices.Equal(want, have), "%d names, %s", count, name)
			client.Offline = true
			kept, err := index.NewServer("x", s.URL, client).Names(ctx)
			require.NoError(t, err)
			require.True(t, slices.Equal(want, kept), "%d names kept, %s", count, name)
		}
	}
}

// A list that has not changed is not sent again, in whatever form it comes.
func TestNamesThatHaveNotChanged(t *testing.T) {
	for kind, text := range map[string]string{
		index.TypeJSON: `{"projects": [{"_serial": {"a": [1]}, "name": "Press_House"}, {"name": "apple"}], "meta": {"api-version": "1.1"}}`,
		index.TypeHTML: `<html><body><a href="/a/">apple</a><a href="/p/">Press_House</a></body></html>`,
	} {
		var sent, unchanged atomic.Int64
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("ETag", `"ripe"`)
			if r.Header.Get("If-None-Match") == `"ripe"` {
				unchanged.Add(1)
				w.WriteHeader(http.StatusNotModified)
				return
			}
			sent.Add(1)
			w.Header().Set("Content-Type", kind)
			fmt.Fprint(w, text)
		}))
		cache := t.TempDir()
		for round := range 4 {
			list, err := index.NewServer("x", s.URL+"/simple/", &fetch.Client{Cache: cache}).Names(ctx)
			require.NoError(t, err)
			assert.Equal(t, []string{"apple", "press-house"}, list)
			kept, err := filepath.Glob(filepath.Join(cache, "names", "*.txt"))
			require.NoError(t, err)
			old := time.Now().Add(-2 * time.Hour)
			if round == 2 { // a power cut left half of it
				require.NoError(t, os.Truncate(kept[0], 12))
			}
			require.NoError(t, os.Chtimes(kept[0], old, old))
		}
		s.Close()
		assert.Equal(t, []int64{2, 3}, []int64{sent.Load(), unchanged.Load()}, kind)
	}
}

// What a wheel has inside is told the same by every kind of index.
func TestInside(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, index.Write(ctx, index.Sample{}, dir))
	server := httptest.NewServer(index.Handler{Source: index.Sample{}})
	defer server.Close()
	sources := []index.Source{index.Sample{}, index.NewFolder("folder", filepath.Join(dir, "files")), index.NewServer("server", server.URL+"/simple/", &fetch.Client{Retries: -1})}
	for name, want := range map[string]index.Inside{
		"graft-notes":         {Imports: []string{"scionbook"}, Scripts: []string{}},
		"press-schedule":      {Imports: []string{"press_schedule"}, Scripts: []string{"press-schedule"}},
		"orchard-tools-hives": {Imports: []string{"orchard_tools.hives"}, Scripts: []string{}},
	} {
		for _, s := range sources {
			files, err := s.Files(ctx, name)
			require.NoError(t, err)
			var newest index.File
			for _, f := range files {
				if f.Wheel != nil && (newest.Wheel == nil || newest.Version.Less(f.Version)) {
					newest = f
				}
			}
			got, err := s.Inside(ctx, newest)
			require.NoError(t, err, "%s in %s", name, s.Name())
			assert.Equal(t, want, got, "%s in %s", name, s.Name())
		}
	}
	file := filepath.Join(dir, "no.whl")
	require.NoError(t, os.WriteFile(file, []byte("no zip"), 0o644))
	_, err := index.WheelInside(file)
	assert.Error(t, err)
}

func TestProbe(t *testing.T) {
	full := httptest.NewServer(index.Handler{Source: index.Sample{}})
	defer full.Close()
	welcome := answer(t, "text/plain", "welcome")
	page := answer(t, "text/html", page)
	for _, c := range []struct {
		at, name                string
		answers, json, metadata bool
		known                   bool
	}{
		{full.URL + "/simple/", "brixmeter", true, true, true, true},
		{full.URL + "/simple/", "nowhere", true, true, false, false},
		{page, "press", true, false, true, true},
		{welcome, "press", true, false, false, false},
		{"http://127.0.0.1:1/simple/", "press", false, false, false, false},
	} {
		p := server(t, c.at).Probe(ctx, c.name)
		if strings.Contains(c.at, welcome) {
			assert.False(t, p.Known, c.at)
			continue // an HTML page of no links is an index of nothing
		}
		assert.Equal(t, []bool{c.answers, c.json, c.known}, []bool{p.Answers, p.JSON, p.Known}, "%s %s: %s", c.at, c.name, p.Why)
		assert.Equal(t, c.answers, p.Why == "", p.Why)
	}
}

// A list of no names is one, and one that is longer than any is told as that.
func TestListsOfNamesAtTheirEnds(t *testing.T) {
	text, length := `{"meta": {"api-version": "1.1"}, "projects": []}`, ""
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("ETag", `"bare"`)
		if length != "" {
			w.Header().Set("Content-Length", length)
		}
		w.Header().Set("Content-Type", index.TypeJSON)
		fmt.Fprint(w, text)
	}))
	defer s.Close()
	names := func() ([]string, error) {
		return index.NewServer("x", s.URL+"/simple/", &fetch.Client{Cache: t.TempDir(), Retries: -1}).Names(ctx)
	}
	list, err := names()
	require.NoError(t, err)
	assert.Empty(t, list)
	text = `{"meta": {"api-version": "1.1"}, "projects": [` + strings.Repeat(" ", limits.Names)
	_, err = names()
	assert.ErrorAs(t, err, new(*limits.Error))
	text = `{"meta": {"api-version": "1.1"}, "projects": [{"name": `
	_, err = names()
	assert.ErrorAs(t, err, new(*index.NotIndexError))
	length = "1000" // more than comes
	_, err = names()
	assert.ErrorAs(t, err, new(*fetch.NetworkError))
}

// What a wheel says is read out of it in two questions, wherever it stands; in three where that
// is long.
func TestTwoQuestionsForAWheel(t *testing.T) {
	for _, first := range []bool{true, false} {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		about := func() {
			w, err := z.CreateHeader(&zip.FileHeader{Name: "press-1.0.dist-info/METADATA", Method: zip.Deflate})
			require.NoError(t, err)
			fmt.Fprint(w, "Metadata-Version: 2.1\nName: press\nVersion: 1.0\n")
			for range 9000 {
				fmt.Fprintf(w, "%x\n", rand.Uint64())
			}
		}
		if first {
			about()
		}
		w, err := z.Create("press.bin")
		require.NoError(t, err)
		_, _ = w.Write(bytes.Repeat([]byte("must"), 200_000))
		for n := range 400 {
			_, err := z.Create(fmt.Sprintf("press/part%03d.py", n))
			require.NoError(t, err)
		}
		if !first {
			about()
		}
		require.NoError(t, z.Close())
		asked := 0
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			asked++
			http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b.Bytes()))
		}))
		data, err := index.NewServer("x", s.URL+"/simple/", &fetch.Client{}).Metadata(ctx, index.File{Name: "press-1.0-py3-none-any.whl", URL: s.URL + "/press-1.0-py3-none-any.whl", Distribution: "press"})
		s.Close()
		require.NoError(t, err)
		assert.Contains(t, string(data), "Name: press")
		assert.LessOrEqual(t, asked, 3)
		assert.True(t, first || asked <= 2, "%d", asked)
	}
}
