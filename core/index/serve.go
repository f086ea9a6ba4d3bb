package index

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/net/html"

	"glassjar/core/markup"
	"glassjar/core/requirement"
)

func hexSum(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Handler serves an index over HTTP as the simple repository API says: the
// list of names at /simple/, a distribution's files at /simple/NAME/, in HTML
// or JSON as the client prefers, the files at /files/, each wheel's metadata
// beside it.
type Handler struct{ Source Source }

// choose picks the content type that the client prefers; empty if it accepts
// neither.
func choose(header string) string {
	if header == "" {
		return "text/html"
	}
	best, bestQ := "", 0.0
	for _, part := range strings.Split(header, ",") {
		kind, params, _ := strings.Cut(part, ";")
		q := 1.0
		for _, p := range strings.Split(params, ";") {
			if value, ok := strings.CutPrefix(strings.TrimSpace(p), "q="); ok {
				_, _ = fmt.Sscanf(value, "%g", &q) // what is no number counts as 1
			}
		}
		answer := map[string]string{TypeJSON: TypeJSON, "application/vnd.pypi.simple.latest+json": TypeJSON,
			TypeHTML: TypeHTML, "application/vnd.pypi.simple.latest+html": TypeHTML, "text/html": "text/html", "text/*": "text/html", "*/*": "text/html"}[strings.TrimSpace(kind)]
		if answer != "" && q > bestQ {
			best, bestQ = answer, q
		}
	}
	return best
}

// ServeHTTP answers GET and HEAD.
func (h Handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		http.Error(w, "only GET and HEAD", http.StatusMethodNotAllowed)
		return
	}
	if !here(r.Host) {
		http.Error(w, "this index answers to localhost alone", http.StatusMisdirectedRequest)
		return
	}
	clean := path.Clean(r.URL.Path)
	switch {
	case clean == "/" || clean == "/simple":
		h.page(w, r, "")
	case path.Dir(clean) == "/simple":
		h.page(w, r, path.Base(clean))
	case path.Dir(clean) == "/files":
		h.file(w, r, path.Base(clean))
	default:
		http.NotFound(w, r)
	}
}

func (h Handler) page(w http.ResponseWriter, r *http.Request, name string) {
	kind := choose(r.Header.Get("Accept"))
	if kind == "" {
		http.Error(w, "this index speaks HTML and JSON", http.StatusNotAcceptable)
		return
	}
	// Relative links mean something else without the slash.
	if !strings.HasSuffix(r.URL.Path, "/") || name != requirement.Normalize(name) || r.URL.Path == "/" {
		to := "/simple/"
		if name != "" {
			to += requirement.Normalize(name) + "/"
		}
		http.Redirect(w, r, to, http.StatusMovedPermanently)
		return
	}
	data, err := render(r.Context(), h.Source, name, kind == TypeJSON)
	if errors.Is(err, ErrUnknownName) {
		http.NotFound(w, r)
		return
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Vary", "Accept")
	w.Header().Set("ETag", `"`+hexSum(data)[:32]+`"`)
	w.Header().Set("Cache-Control", "max-age=0")
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(data))
}

// here reports whether a request is for this machine by one of its own names: pages of
// the web can have a browser ask any other.
func here(host string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = host
	}
	ip := net.ParseIP(strings.Trim(name, "[]"))
	return strings.EqualFold(name, "localhost") || ip != nil && ip.IsLoopback()
}

func (h Handler) file(w http.ResponseWriter, r *http.Request, name string) {
	meta := strings.HasSuffix(name, ".metadata")
	f := File{Name: strings.TrimSuffix(name, ".metadata")}
	if !f.describe("") {
		http.NotFound(w, r)
		return
	}
	files, err := h.Source.Files(r.Context(), f.Distribution)
	for _, have := range files {
		if have.Name != f.Name {
			continue
		}
		data, err := h.content(r.Context(), have, meta)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "application/octet-stream")
		w.Header().Set("ETag", `"`+hexSum(data)[:32]+`"`)
		w.Header().Set("Cache-Control", "max-age=31536000, immutable")
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(data))
		return
	}
	if err != nil && !errors.Is(err, ErrUnknownName) {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	http.NotFound(w, r)
}

func (h Handler) content(ctx context.Context, f File, meta bool) ([]byte, error) {
	if meta {
		return h.Source.Metadata(ctx, f)
	}
	r, err := h.Source.Open(ctx, f)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}

// htmlPage is a page of the simple API: the files of a name, or the names.
func htmlPage(name string, files []servedFile, names []string) *html.Node {
	el := markup.Element
	title := "Simple index"
	if name != "" {
		title = "Links for " + name
	}
	body := el("body")
	add := func(parts ...any) {
		body.AppendChild(el("a", parts...))
		body.AppendChild(el("br"))
		body.AppendChild(&html.Node{Type: html.TextNode, Data: "\n"})
	}
	if name != "" {
		body.AppendChild(el("h1", title))
	}
	for _, f := range files {
		parts := []any{f.Name, markup.Attr{Key: "href", Value: f.Href}}
		if f.RequiresPython != "" {
			parts = append(parts, markup.Attr{Key: "data-requires-python", Value: f.RequiresPython})
		}
		if f.Yanked {
			parts = append(parts, markup.Attr{Key: "data-yanked", Value: f.YankedReason})
		}
		if f.MetadataSum != "" {
			parts = append(parts, markup.Attr{Key: "data-core-metadata", Value: "sha256=" + f.MetadataSum})
		}
		add(parts...)
	}
	for _, n := range names {
		add(n, markup.Attr{Key: "href", Value: n + "/"})
	}
	meta := el("meta", markup.Attr{Key: "name", Value: "pypi:repository-version"}, markup.Attr{Key: "content", Value: "1.1"})
	return el("html", el("head", meta, el("title", title)), body)
}

type servedFile struct {
	File
	Href, MetadataSum string
}

// render makes the page of a name, or the list of names for an empty one.
func render(ctx context.Context, s Source, name string, asJSON bool) ([]byte, error) {
	var b bytes.Buffer
	if name == "" {
		names, err := s.Names(ctx)
		if err != nil {
			return nil, err
		}
		if asJSON {
			list := []map[string]string{}
			for _, n := range names {
				list = append(list, map[string]string{"name": n})
			}
			return json.Marshal(map[string]any{"meta": map[string]string{"api-version": "1.1"}, "projects": list})
		}
		err = markup.Write(&b, htmlPage("", nil, names))
		return b.Bytes(), err
	}
	files, err := s.Files(ctx, name)
	if err != nil {
		return nil, err
	}
	var served []servedFile
	files, _ = usable(files)
	for _, f := range files {
		one := servedFile{File: f, Href: "../../files/" + f.Name + "#sha256=" + f.SHA256()}
		if f.HasMetadata {
			data, err := s.Metadata(ctx, f)
			if err != nil {
				return nil, err
			}
			one.MetadataSum = hexSum(data)
		}
		served = append(served, one)
	}
	if asJSON {
		return json.Marshal(jsonPage(name, served))
	}
	err = markup.Write(&b, htmlPage(name, served, nil))
	return b.Bytes(), err
}

func jsonPage(name string, served []servedFile) any {
	files := []map[string]any{}
	versions := []string{}
	seen := map[string]bool{}
	for _, f := range served {
		one := map[string]any{"filename": f.Name, "url": "../../files/" + f.Name, "hashes": f.Hashes.ByName(), "size": f.Size}
		if f.RequiresPython != "" {
			one["requires-python"] = f.RequiresPython
		}
		if !f.Uploaded.IsZero() {
			one["upload-time"] = f.Uploaded.Format(time.RFC3339)
		}
		if f.Yanked {
			one["yanked"] = true
			if f.YankedReason != "" {
				one["yanked"] = f.YankedReason
			}
		}
		if f.MetadataSum != "" {
			one["core-metadata"] = map[string]string{"sha256": f.MetadataSum}
		}
		files = append(files, one)
		if v := f.Version.String(); !seen[v] {
			seen[v] = true
			versions = append(versions, v)
		}
	}
	return map[string]any{"meta": map[string]string{"api-version": "1.1"}, "name": name, "versions": versions, "files": files}
}

// Write puts an index into a folder as static files, in HTML, for any web
// server that answers a folder with its index.html.
func Write(ctx context.Context, s Source, dir string) error {
	names, err := s.Names(ctx)
	if err != nil {
		return err
	}
	put := func(data []byte, parts ...string) error {
		file := filepath.Join(append([]string{dir}, parts...)...)
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			return err
		}
		return os.WriteFile(file, data, 0o644)
	}
	for _, name := range append([]string{""}, names...) {
		data, err := render(ctx, s, name, false)
		if err != nil {
			return err
		}
		if err := put(data, "simple", name, "index.html"); err != nil {
			return err
		}
	}
	h := Handler{s}
	for _, name := range names {
		files, err := s.Files(ctx, name)
		if err != nil {
			return err
		}
		files, _ = usable(files)
		for _, f := range files {
			for _, meta := range []bool{false, true} {
				if meta && !f.HasMetadata {
					continue
				}
				data, err := h.content(ctx, f, meta)
				if err != nil {
					return err
				}
				ending := map[bool]string{true: ".metadata"}[meta]
				if err := put(data, "files", f.Name+ending); err != nil {
					return err
				}
			}
		}
	}
	return nil
}
