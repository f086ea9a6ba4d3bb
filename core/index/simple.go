package index

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"strings"

	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/internal/once"
	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// Content types of the simple repository API.
const (
	TypeJSON = "application/vnd.pypi.simple.v1+json"
	TypeHTML = "application/vnd.pypi.simple.v1+html"
	accept   = TypeJSON + ", " + TypeHTML + ";q=0.2, text/html;q=0.1"
)

// Server is an index that speaks the simple repository API.
type Server struct {
	name, address string
	client        *fetch.Client
	pages         once.Map[string, page]
	answers       once.Map[string, fetch.Kept] // of the cache, by name
	understood    once.Map[string, page]       // by name, content type, length and checksum of the answer
	listed        listed
}

// page is what a distribution's page says.
type page struct {
	files    []File
	standing Standing
	doubtful bool // it names a file in two ways that differ
}

// IsAddress reports whether a text is the address of something on a server, by its scheme, which may
// be written in any letter case (RFC 3986, section 3.1).
func IsAddress(text string) bool {
	scheme, _, ok := strings.Cut(text, "://")
	return ok && (strings.EqualFold(scheme, "http") || strings.EqualFold(scheme, "https"))
}

// NewServer makes an index of a server; address is that of its list of names.
func NewServer(name, address string, client *fetch.Client) *Server {
	if !strings.HasSuffix(address, "/") {
		address += "/"
	}
	return &Server{name: name, address: address, client: client}
}

// Name is what the user calls the index.
func (s *Server) Name() string { return s.name }

// Address is the address of the list of names.
func (s *Server) Address() string { return fetch.Redact(s.address) }

// Files asks for a distribution's page, once.
func (s *Server) Files(ctx context.Context, name string) ([]File, error) {
	p, err := s.page(ctx, name)
	return p.files, err
}

func (s *Server) page(ctx context.Context, name string) (page, error) {
	return s.pages.Do(name, func() (page, error) { return s.read(ctx, name) })
}

func (s *Server) read(ctx context.Context, name string) (p page, err error) {
	s.untilWhole(s.pageAddress(name), accept, func() (came string, whole bool) {
		p, came, err = s.readPage(ctx, name)
		var damaged *NotIndexError
		return came, !errors.As(err, &damaged) && !p.doubtful
	})
	if err == nil && p.standing.Status == Quarantined {
		err = &QuarantinedError{name, s.name, p.standing.Reason}
	}
	return p, err
}

// untilWhole asks for something until it comes whole: it may be damaged on the way, and is then asked
// for once more, not out of the cache. What comes the same twice, the server has so; and there is an
// end to it where each time something else comes.
func (s *Server) untilWhole(address, accept string, ask func() (came string, whole bool)) {
	last, whole := ask()
	for range 5 {
		if whole {
			return
		}
		s.client.Forget(address, accept)
		var came string
		if came, whole = ask(); came == last {
			return
		}
		last = came
	}
}

// Kept is what the last answer said of a distribution, however old it is. Nothing is asked
// for; there is none where nothing was kept.
func (s *Server) Kept(name string) []File {
	res := s.answer(name).Answer()
	if res == nil {
		return nil
	}
	p, _, err := s.understand(name, res)
	if err != nil {
		return nil
	}
	return p.files
}

func packageEnding(name string) bool {
	return strings.HasSuffix(name, ".whl") || strings.HasSuffix(name, ".tar.gz") || strings.HasSuffix(name, ".zip")
}

func (s *Server) pageAddress(name string) string { return s.address + url.PathEscape(name) + "/" }

// Refresh asks for a distribution's page anew: a file did not have the hash
// that the page gave, and either may be what is wrong.
func (s *Server) Refresh(ctx context.Context, name string) ([]File, error) {
	s.client.Forget(s.pageAddress(name), accept)
	s.pages.Forget(name)
	return s.Files(ctx, name)
}

// answer is what the cache has of a page, until that is asked for.
func (s *Server) answer(name string) fetch.Kept {
	kept, _ := s.answers.Do(name, func() (fetch.Kept, error) { return s.client.Kept(s.pageAddress(name), accept), nil }) // it does not fail
	return kept
}

// readPage asks for a page, and tells which answer came.
func (s *Server) readPage(ctx context.Context, name string) (p page, came string, err error) {
	have := s.answer(name)
	s.answers.Forget(name)
	if !have.Fresh() {
		s.beginNames(ctx)
	}
	err = s.client.Stream(ctx, s.pageAddress(name), accept, limits.Page, have, func(res *fetch.Response) (err error) {
		p, came, err = s.understand(name, res)
		return err
	})
	var status *fetch.StatusError
	if errors.As(err, &status) && (status.Code == http.StatusNotFound || status.Code == http.StatusGone) {
		return page{}, "", fmt.Errorf("%s: %w", name, ErrUnknownName)
	}
	return p, came, err
}

// understand is what an answer says of a distribution, and by what that answer is known. An answer
// that has not changed is read once.
func (s *Server) understand(name string, res *fetch.Response) (p page, came string, err error) {
	known := func() string { return fmt.Sprintf("%s %s %d %s", name, res.ContentType, res.Size, res.Sum) }
	if res.Sum != "" {
		p, err = s.understood.Do(known(), func() (page, error) { return s.parse(name, res) })
		return p, known(), err
	}
	p, err = s.parse(name, res)
	if _, bad := io.Copy(io.Discard, res.Body); bad != nil {
		return p, "", bad
	}
	p, err = s.understood.Do(known(), func() (page, error) { return p, err })
	return p, known(), err
}

// parse reads a page. Its files get what their names say.
func (s *Server) parse(name string, res *fetch.Response) (p page, err error) {
	files := &gathering{base: res.URL, look: func(names *metadata.Names, files []File) ([]File, bool, error) { return s.describe(name, names, files) }}
	var kept [][]File
	if p.standing, kept, err = files.read(res.Body, formOf(res)); err != nil {
		var large *limits.Error
		var fault *NotIndexError
		if !errors.As(err, &large) && !errors.As(err, &fault) {
			err = &NotIndexError{fetch.Redact(s.pageAddress(name)), err.Error()}
		}
		return page{standing: p.standing}, err
	}
	p.files, p.doubtful = NewestFirst(kept...), files.doubtful
	return p, nil
}

// describe adds to some files of a page what their names say, and keeps those that are packages.
func (s *Server) describe(name string, names *metadata.Names, files []File) (kept []File, doubtful bool, err error) {
	count := 0
	for i := range files {
		f := &files[i]
		var whole, separate bool
		f.Hashes, whole = f.Hashes.Plausible()
		f.MetadataHashes, separate = f.MetadataHashes.Plausible()
		if !whole || !separate {
			return nil, false, &NotIndexError{fetch.Redact(s.pageAddress(name)), "it gives a hash that is none, for " + f.Name}
		}
		f.Index = s.name
		f.hideSecret()
		doubtful = doubtful || f.doubtful
		// Pages list other things too; what is named like a package should be one.
		if f.describeBy(names, name) || f.Fault != "" && packageEnding(f.Name) {
			if count++; count <= i {
				files[count-1] = *f
			}
		}
	}
	return files[:count], doubtful, nil
}

// form is how a page is written: it gives the files of one to a gathering.
type form func(body io.Reader, files *gathering) (Standing, error)

// formOf is the form of an answer's page.
func formOf(res *fetch.Response) form {
	if isJSON(res) {
		return parseJSON
	}
	return parseHTML
}

func isJSON(res *fetch.Response) bool {
	kind, _, _ := mime.ParseMediaType(res.ContentType)
	return kind == TypeJSON || kind == "application/json"
}

// Metadata gets the separate metadata file (PEP 658) or, where the index has
// none, reads METADATA out of the remote wheel by range requests. The error is
// [fetch.ErrNoRanges] where neither can be had.
func (s *Server) Metadata(ctx context.Context, f File) ([]byte, error) {
	if !f.HasMetadata {
		return s.remoteMetadata(ctx, f)
	}
	data, err := s.separateMetadata(ctx, f)
	var status *fetch.StatusError
	if errors.As(err, &status) && (status.Code == http.StatusNotFound || status.Code == http.StatusGone) {
		return s.remoteMetadata(ctx, f) // it was announced, and is not there
	}
	return data, err
}

// readMetadata reads a metadata file. What has a hash is kept under it by whoever asks.
func (s *Server) readMetadata(ctx context.Context, f File, at string) ([]byte, error) {
	if f.SHA256() != "" || f.MetadataHashes.SHA256 != "" {
		return s.client.ReadUnkept(ctx, at, "", limits.Metadata)
	}
	data, _, err := s.client.Read(ctx, at, "", limits.Metadata)
	return data, err
}

func (s *Server) separateMetadata(ctx context.Context, f File) ([]byte, error) {
	at := metadataURL(f.Ask())
	var data []byte
	var bad, err error
	s.untilWhole(at, "", func() (came string, whole bool) {
		if data, err = s.readMetadata(ctx, f, at); err != nil {
			return "", true
		}
		check := digest.NewCheck(f.MetadataHashes.ByName())
		_, _ = check.Write(data) // does not fail
		_, want, have, ok := check.Wrong()
		if bad = nil; !ok {
			bad = &HashMismatchError{f.Name + ".metadata", want, have}
		}
		return have, ok
	})
	if err != nil || bad == nil {
		return data, err
	}
	s.client.Forget(at, "")
	// Or what is wrong is the page that announced it.
	files, err := s.Refresh(ctx, f.Distribution)
	for _, have := range files {
		if err == nil && have.Name == f.Name && have.MetadataHashes.SHA256 != f.MetadataHashes.SHA256 {
			return s.separateMetadata(ctx, have)
		}
	}
	return nil, bad
}

func (s *Server) remoteMetadata(ctx context.Context, f File) ([]byte, error) {
	remote, err := s.client.Remote(ctx, f.Ask())
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
	res, err := s.client.Get(ctx, f.Ask(), "")
	if err != nil {
		return nil, err
	}
	return res.Body, nil
}
