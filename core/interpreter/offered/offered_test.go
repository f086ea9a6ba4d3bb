package offered

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/tags"
	_ "glassjar/internal/long"
)

var here = Machine{tags.Platform{OS: "linux", Arch: "x86_64", Libc: "glibc", Major: 2, Minor: 36}, 2}

// sum is a made-up hash.
func sum(n int) string { return strings.Repeat(fmt.Sprint(n), 64) }

// Whatever a place is, it gives the files that hold a Python, the best first, each with its hash
// where anybody tells it, and why it does not run here.
func TestLook(t *testing.T) {
	pages := map[string]string{
		"/links/": `<html><body><a href="../files/cpython-3.12.4-linux_x86_64.pybi#sha256=` + sum(1) + `">new</a> <a href="cpython-3.9.18-linux_x86_64.pybi">old</a>
			<a href="cpython-3.13.0-win_amd64.pybi">other</a> <a href="brixmeter-1.0-py3-none-any.whl">no Python</a> <a href="/">up</a> <a>nowhere</a></body></html>`,
		"/links/SHA256SUMS": sum(2) + " *cpython-3.9.18-linux_x86_64.pybi\n" + sum(3) + "  below/cpython-3.13.0-win_amd64.pybi\nno hash  at all\n",
		"/json/": `{"meta": {"api-version": "1.1"}, "name": "cpython", "files": [{"filename": "cpython-3.12.4-linux_x86_64.pybi", "url": "/f/cpython-3.12.4-linux_x86_64.pybi",
			"hashes": {"sha256": "` + sum(4) + `"}, "size": 1234}, {"filename": "cpython-3.12.5-linux_x86_64.pybi", "url": "x.pybi", "hashes": {}, "yanked": "it does not start"}]}`,
		"/root/":         `<html><body><a href="cpython/">cpython</a></body></html>`,
		"/root/cpython/": `<html><body><a href="cpython-3.11.1-linux_x86_64.pybi#sha256=` + sum(5) + `">cpython-3.11.1-linux_x86_64.pybi</a></body></html>`,
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		page, ok := pages[r.URL.Path]
		switch {
		case !ok:
			http.NotFound(w, r)
			return
		case strings.HasPrefix(page, "{"):
			w.Header().Set("Content-Type", index.TypeJSON)
		case strings.HasPrefix(page, "<"):
			w.Header().Set("Content-Type", "text/html")
		}
		_, _ = io.WriteString(w, page)
	}))
	defer server.Close()
	folder := t.TempDir()
	for name, text := range map[string]string{"cpython-3.12.4-linux_x86_64.pybi": "bytes", "notes.txt": "", "SHA256SUMS": sum(6) + "  cpython-3.12.4-linux_x86_64.pybi\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644))
	}
	require.NoError(t, os.Mkdir(filepath.Join(folder, "cpython-3.12.5-linux_x86_64.pybi"), 0o755))
	for _, c := range []struct {
		place Place
		want  []string
	}{
		{Place{Name: "a", Address: server.URL + "/links/"}, []string{"CPython 3.13.0  -1 it is for win_amd64", "CPython 3.12.4 1 -1 ", "CPython 3.9.18 2 -1 "}},
		{Place{Name: "b", Address: server.URL + "/json/"}, []string{"CPython 3.12.4 4 1234 "}},
		{Place{Name: "c", Address: server.URL + "/root"}, []string{"CPython 3.11.1 5 -1 "}},
		{Place{Name: "d", Folder: folder}, []string{"CPython 3.12.4 6 5 "}},
	} {
		list, err := Look(t.Context(), &fetch.Client{}, c.place, here)
		require.NoError(t, err, c.place)
		var have []string
		for _, o := range list {
			digit := ""
			if o.SHA256 != "" {
				digit = o.SHA256[:1]
			}
			have = append(have, fmt.Sprintf("%s %s %d %s", o.Title(), digit, o.Size, o.Misfit))
			assert.Equal(t, c.place.Name, o.Index)
		}
		assert.Equal(t, c.want, have, c.place)
	}
	_, err := Look(t.Context(), &fetch.Client{}, Place{Address: server.URL + "/none/"}, here)
	var status *fetch.StatusError
	assert.ErrorAs(t, err, &status)
	_, err = Look(t.Context(), &fetch.Client{}, Place{Folder: filepath.Join(folder, "none")}, here)
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestNamed(t *testing.T) {
	o, ok := Named("https://pythons.example/f/cpython-3.12.4%2B1-x86_64-unknown-linux-gnu.tar.gz?token=1", "", here)
	require.True(t, ok)
	assert.Equal(t, "CPython 3.12.4", o.Title())
	assert.Equal(t, "1", o.Build)
	assert.Empty(t, o.Misfit)
	_, ok = Named("", "/orchard/brixmeter.tar.gz", here)
	assert.False(t, ok)
}
