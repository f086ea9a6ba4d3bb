package index

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/html"

	"glassjar/core/fetch"
	"glassjar/core/metadata"
)

// Content types of the simple repository API.
const (
	TypeJSON = "application/vnd.pypi.simple.v1+json"
	TypeHTML = "application/vnd.pypi.simple.v1+html"
	accept   = TypeJSON + ", " + TypeHTML + ";q=0.2, text/html;q=0.1"
)

// maxPage bounds the pages of an index.
const maxPage = 512 << 20

// Server is an index that speaks the simple repository API.
type Server struct {
	name, address string
	client        *fetch.Client
	mu            sync.Mutex
	pages         map[string]*page
}

type page struct {
	once  sync.Once
	files []File
	err   error
}

// NewServer makes an index of a server; address is that of its list of names.
func NewServer(name, address string, client *fetch.Client) *Server {
	if !strings.HasSuffix(address, "/") {
		address += "/"
	}
	return &Server{name: name, address: address, client: client, pages: map[string]*page{}}
}

// Name is what the user calls the index.
func (s *Server) Name() string { return s.name }

// Address is the address of the list of names.
func (s *Server) Address() string { return fetch.Redact(s.address) }

// Files asks for a distribution's page, once.
func (s *Server) Files(ctx context.Context, name string) ([]File, error) {
	s.mu.Lock()
	p, ok := s.pages[name]
	if !ok {
		p = &page{}
		s.pages[name] = p
	}
	s.mu.Unlock()
	p.once.Do(func() { p.files, p.err = s.read(ctx, name) })
	return p.files, p.err
}

func (s *Server) read(ctx context.Context, name string) ([]File, error) {
	files, err := s.readPage(ctx, name)
	var damaged *NotIndexError
	if errors.As(err, &damaged) || slices.ContainsFunc(files, func(f File) bool { return f.doubtful }) {
		// It may have been damaged on the way: once more, not from the cache.
		s.client.Forget(s.pageAddress(name), accept)
		files, err = s.readPage(ctx, name)
	}
	kept := files[:0]
	for _, f := range files {
		if f.describe(name) {
			kept = append(kept, f)
		}
	}
	return kept, err
}

func (s *Server) pageAddress(name string) string { return s.address + url.PathEscape(name) + "/" }

// Refresh asks for a distribution's page anew: a file did not have the hash
// that the page gave, and either may be what is wrong.
func (s *Server) Refresh(ctx context.Context, name string) ([]File, error) {
	s.client.Forget(s.pageAddress(name), accept)
	s.mu.Lock()
	delete(s.pages, name)
	s.mu.Unlock()
	return s.Files(ctx, name)
}

func (s *Server) readPage(ctx context.Context, name string) ([]File, error) {
	at := s.pageAddress(name)
	data, res, err := s.client.Read(ctx, at, accept, maxPage)
	var status *fetch.StatusError
	if errors.As(err, &status) && (status.Code == http.StatusNotFound || status.Code == http.StatusGone) {
		return nil, fmt.Errorf("%s: %w", name, ErrUnknownName)
	}
	if err != nil {
		return nil, err
	}
	var files []File
	if kind, _, _ := mime.ParseMediaType(res.ContentType); isJSON(kind) {
		files, err = parseJSON(data, res.URL)
	} else {
		files, err = parseHTML(data, res.URL)
	}
	if err != nil {
		return nil, &NotIndexError{fetch.Redact(at), err.Error()}
	}
	for i, f := range files {
		if !plausible(f.Hashes) || !plausible(f.MetadataHashes) {
			return nil, &NotIndexError{fetch.Redact(at), "it gives a hash that is none, for " + f.Name}
		}
		files[i].Index = s.name
	}
	return files, nil
}

// plausible reports whether a SHA-256, if one is given, can be one.
func plausible(hashes map[string]string) bool {
	sum, ok := hashes["sha256"]
	raw, err := hex.DecodeString(sum)
	return !ok || err == nil && len(raw) == 32
}

func isJSON(kind string) bool { return kind == TypeJSON || kind == "application/json" }

// Metadata gets the separate metadata file (PEP 658) or, where the index has
// none, reads METADATA out of the remote wheel by range requests. The error is
// [fetch.ErrNoRanges] where neither can be had.
func (s *Server) Metadata(ctx context.Context, f File) ([]byte, error) {
	if !f.HasMetadata {
		return s.remoteMetadata(ctx, f)
	}
	at := metadataURL(f.URL)
	var bad error
	last := ""
	for range 6 { // what was damaged on the way may come whole the next time
		data, _, err := s.client.Read(ctx, at, "", maxMetadata)
		if err != nil {
			return nil, err
		}
		have, want := hexSum(data), f.MetadataHashes["sha256"]
		if want == "" || have == want {
			return data, nil
		}
		bad = &HashMismatchError{f.Name + ".metadata", want, have}
		s.client.Forget(at, "")
		if have == last {
			break // the same wrong bytes twice: so the server has them
		}
		last = have
	}
	// Or what is wrong is the page that announced it.
	files, err := s.Refresh(ctx, f.Distribution)
	for _, have := range files {
		if err == nil && have.Name == f.Name && have.MetadataHashes["sha256"] != f.MetadataHashes["sha256"] {
			return s.Metadata(ctx, have)
		}
	}
	return nil, bad
}

func (s *Server) remoteMetadata(ctx context.Context, f File) ([]byte, error) {
	remote, err := s.client.Remote(ctx, f.URL)
	if err != nil {
		return nil, err
	}
	if f.Size > 0 && remote.Size() != f.Size {
		return nil, &DamagedError{f.Name, fmt.Sprintf("the server has %d bytes of it, and the index announced %d", remote.Size(), f.Size)}
	}
	z, err := zip.NewReader(remote, remote.Size())
	if err != nil {
		return nil, damaged(ctx, f, err)
	}
	data, err := metadataOf(z, f.Name)
	if err != nil && !errors.Is(err, metadata.ErrInvalid) {
		err = damaged(ctx, f, err)
	}
	return data, err
}

// DamagedError says that what a server gave is not what was announced.
type DamagedError struct{ File, Why string }

func (e *DamagedError) Error() string { return e.File + ": " + e.Why }

// damaged is the error of a wheel that could not be read out of what came; what kept
// it from coming is told as it is.
func damaged(ctx context.Context, f File, err error) error {
	var network *fetch.NetworkError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &network):
		return network
	}
	return &DamagedError{f.Name, "what came is not a wheel: " + err.Error()}
}

// HashMismatchError says that a metadata file is not what the index announced.
type HashMismatchError struct{ File, Want, Have string }

func (e *HashMismatchError) Error() string {
	return fmt.Sprintf("%s has the hash %s, not %s", e.File, e.Have, e.Want)
}

func metadataURL(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address + ".metadata"
	}
	u.Path += ".metadata"
	if u.RawPath != "" {
		u.RawPath += ".metadata"
	}
	u.Fragment = ""
	return u.String()
}

// Open downloads a file.
func (s *Server) Open(ctx context.Context, f File) (io.ReadCloser, error) {
	res, err := s.client.Get(ctx, f.URL, "")
	if err != nil {
		return nil, err
	}
	return res.Body, nil
}

type meta struct {
	APIVersion string `json:"api-version"`
}

// fault refuses an API of a later major version (PEP 629).
func (m meta) fault() error {
	if major, _, _ := strings.Cut(m.APIVersion, "."); major != "1" {
		return fmt.Errorf("its API has version %q; this program knows 1", m.APIVersion)
	}
	return nil
}

// parseJSON reads a distribution's page in JSON (PEP 691, 700, 714).
func parseJSON(data []byte, base *url.URL) ([]File, error) {
	var page struct {
		Meta  meta
		Files *[]struct {
			Filename       string
			URL            string
			Hashes         map[string]string
			RequiresPython *string         `json:"requires-python"`
			CoreMetadata   json.RawMessage `json:"core-metadata"`
			DistMetadata   json.RawMessage `json:"dist-info-metadata"`
			Yanked         json.RawMessage
			Size           *int64
			UploadTime     *time.Time `json:"upload-time"`
		}
	}
	if err := json.Unmarshal(data, &page); err != nil || page.Files == nil {
		return nil, errors.New("its page is not what the standard says")
	}
	if err := page.Meta.fault(); err != nil {
		return nil, err
	}
	var out []File
	for _, in := range *page.Files {
		at, err := base.Parse(in.URL)
		if err != nil || in.Filename == "" {
			continue
		}
		f := File{Name: in.Filename, URL: at.String(), Hashes: in.Hashes, Size: -1, doubtful: path.Base(at.Path) != in.Filename}
		if in.RequiresPython != nil {
			f.RequiresPython = *in.RequiresPython
		}
		if in.Size != nil {
			f.Size = *in.Size
		}
		if in.UploadTime != nil {
			f.Uploaded = in.UploadTime.UTC()
		}
		raw := in.CoreMetadata
		if raw == nil {
			raw = in.DistMetadata
		}
		f.HasMetadata = json.Unmarshal(raw, &f.MetadataHashes) == nil && f.MetadataHashes != nil || string(raw) == "true"
		var reason string
		if json.Unmarshal(in.Yanked, &reason) == nil && len(in.Yanked) > 0 && string(in.Yanked) != "null" {
			f.Yanked, f.YankedReason = true, reason
		} else {
			f.Yanked = string(in.Yanked) == "true"
		}
		out = append(out, f)
	}
	return out, nil
}

type anchor struct {
	href       *url.URL
	text       string
	attributes map[string]string
}

type links struct {
	anchors []anchor
	// declared tells that the page says which version of the API it speaks.
	declared bool
}

// parseLinks collects the anchors of a page, with <base> and the API's version
// taken into account.
func parseLinks(data []byte, base *url.URL) (links, error) {
	var out links
	z := html.NewTokenizer(strings.NewReader(string(data)))
	open := -1
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			if err := z.Err(); err != io.EOF {
				return out, err
			}
			return out, nil
		}
		t := z.Token()
		attributes := map[string]string{}
		for _, a := range t.Attr {
			attributes[a.Key] = a.Val
		}
		switch {
		case kind == html.TextToken && open >= 0:
			out.anchors[open].text += strings.TrimSpace(t.Data)
		case t.Data == "a" && kind == html.EndTagToken:
			open = -1
		case kind == html.EndTagToken:
		case t.Data == "base":
			if u, err := base.Parse(attributes["href"]); err == nil {
				base = u
			}
		case t.Data == "meta" && strings.HasSuffix(attributes["name"], ":repository-version"):
			if err := (meta{attributes["content"]}).fault(); err != nil {
				return out, err
			}
			out.declared = true
		case t.Data == "a":
			if u, err := base.Parse(attributes["href"]); err == nil {
				out.anchors = append(out.anchors, anchor{href: u, attributes: attributes})
				open = len(out.anchors) - 1
			}
		}
	}
}

// parseHTML reads a distribution's page in HTML (PEP 503, 592, 658, 714).
func parseHTML(data []byte, base *url.URL) ([]File, error) {
	page, err := parseLinks(data, base)
	if err != nil {
		return nil, err
	}
	var out []File
	for _, a := range page.anchors {
		f := File{Name: path.Base(a.href.Path), Size: -1, Hashes: map[string]string{}}
		f.doubtful = a.text != f.Name
		if algorithm, sum, ok := strings.Cut(a.href.Fragment, "="); ok {
			f.Hashes[algorithm] = strings.ToLower(sum)
		}
		clean := *a.href
		clean.Fragment = ""
		f.URL = clean.String()
		f.RequiresPython = a.attributes["data-requires-python"]
		f.YankedReason, f.Yanked = a.attributes["data-yanked"]
		value, ok := a.attributes["data-core-metadata"]
		if !ok {
			value, ok = a.attributes["data-dist-info-metadata"]
		}
		if f.HasMetadata = ok && value != "false"; f.HasMetadata {
			if algorithm, sum, ok := strings.Cut(value, "="); ok {
				f.MetadataHashes = map[string]string{algorithm: strings.ToLower(sum)}
			}
		}
		if _, err := metadata.ParseWheelName(f.Name); err == nil || isSdist(f.Name) {
			out = append(out, f)
		}
	}
	if text := bytes.ToLower(data); bytes.Contains(text, []byte("<html")) && !bytes.Contains(text, []byte("</html")) {
		return nil, errors.New("its page is cut off")
	}
	if len(out) == 0 && !page.declared && (len(page.anchors) > 0 || !looksEmpty(data)) {
		return nil, errors.New("its page names no package file")
	}
	return out, nil
}

func isSdist(name string) bool {
	_, err := metadata.ParseSdistName(name)
	return err == nil
}

// looksEmpty tells a page of the API that lists nothing from any other page
// without links: it has a title and next to no text.
func looksEmpty(data []byte) bool {
	text := strings.ToLower(string(data))
	return len(data) < 1000 && strings.Contains(text, "<html") && strings.Contains(text, "links for")
}
