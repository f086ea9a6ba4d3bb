package main

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"

	"glassjar/core/digest"
	"glassjar/core/index"
)

// systems are what each release on the large page has a wheel for, with each of seven Pythons.
var systems = []string{"manylinux_2_17_x86_64.manylinux2014_x86_64", "manylinux_2_17_aarch64.manylinux2014_aarch64", "musllinux_1_2_x86_64", "macosx_11_0_arm64", "macosx_10_9_x86_64", "win_amd64", "win32"}

// largePage measures what a name costs that has 15,000 files: what is said of each is read, one is
// chosen for each target. The limit reads the page.
func largePage() (work, error) {
	b, err := newBed()
	if err != nil {
		return work{}, err
	}
	text := func(v string) string { return "Metadata-Version: 2.1\nName: wide\nVersion: " + v + "\n" }
	var files []any
	for n := range 300 {
		v := fmt.Sprintf("%d.%d", n/20, n%20)
		for i := range 7 * len(systems) {
			name := fmt.Sprintf("wide-%s-cp3%d-cp3%d-%s.whl", v, 8+i/7, 8+i/7, systems[i%7])
			sum := digest.Of([]byte(name))
			files = append(files, map[string]any{
				"filename": name, "url": "/packages/" + sum[:2] + "/" + sum[2:] + "/" + name, "hashes": map[string]string{"sha256": sum}, "size": 1 << 20,
				"requires-python": ">=3.8", "upload-time": "2025-06-01T10:11:12.131415Z", "yanked": false, "core-metadata": map[string]string{"sha256": digest.Of([]byte(text(v)))},
			})
		}
	}
	var page []byte
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch name := filepath.Base(r.URL.Path); {
		case strings.HasSuffix(name, ".metadata"):
			_, _ = io.WriteString(w, text(strings.Split(name, "-")[1]))
		case name == "wide":
			w.Header().Set("Content-Type", index.TypeJSON)
			_, _ = w.Write(page)
		default:
			http.NotFound(w, r)
		}
	}))
	for _, f := range files {
		one := f.(map[string]any)
		one["url"] = server.URL + one["url"].(string)
	}
	if page, err = json.Marshal(map[string]any{"meta": map[string]string{"api-version": "1.1"}, "name": "wide", "files": files}); err != nil {
		return work{}, err
	}
	return work{
		name: "a page of 14,700 files, first seen", words: "reading it from the server",
		ours:  b.firstOf([]string{"--plan", "wide"}, "off", []string{server.URL + "/simple/"}, nil),
		limit: transfer(server.URL + "/simple/wide/"),
	}, nil
}
