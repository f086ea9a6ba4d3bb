package index

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"glassjar/core/atomicfile"
	"glassjar/core/fetch"
	"glassjar/core/internal/checked"
	"glassjar/core/limits"
	"glassjar/core/requirement"
)

// namesFresh is how long a list of names is taken as it is. A page that lists
// half a million takes seconds to transfer and to read, and serves hints and
// searches only: whether a name is known is asked on the name's own page.
const namesFresh = time.Hour

// Names are all names of the index, sorted. They are kept in a file with a name
// a line, which is a hundred times faster to read than the page.
func (s *Server) Names(ctx context.Context) ([]string, error) {
	file := s.namesFile()
	info, statErr := os.Stat(file)
	if file != "" && statErr == nil && (s.client.Offline || time.Since(info.ModTime()) < namesFresh) {
		if names, err := readNames(file); err == nil {
			return names, nil
		}
	}
	names, err := s.renewNames(ctx, limits.Names)
	if err != nil {
		if kept, readErr := readNames(file); file != "" && readErr == nil && ctx.Err() == nil {
			return kept, nil // an old list is better than none
		}
		return nil, err
	}
	return names, nil
}

// renewNames asks for the list, not where it has not changed since it was kept, and keeps it. One
// of more than limit bytes is a [*limits.Error].
func (s *Server) renewNames(ctx context.Context, limit int64) ([]string, error) {
	file := s.namesFile()
	_, statErr := os.Stat(file)
	text, etag, changed, err := s.askNames(ctx, readETag(file, statErr), limit)
	if err != nil {
		return nil, err
	}
	if !changed {
		names, err := readNames(file)
		if err == nil {
			now := time.Now()
			_ = os.Chtimes(file, now, now)
			return names, nil
		}
		// What is kept of it is not whole: it is asked for as if there were nothing.
		if text, etag, _, err = s.askNames(ctx, "", limit); err != nil {
			return nil, err
		}
	}
	keepNames(file, etag, text)
	return lines(text), nil
}

// readETag is the validator of the list that is kept, in a file beside it.
func readETag(file string, statErr error) string {
	if file == "" || statErr != nil {
		return ""
	}
	data, err := os.ReadFile(strings.TrimSuffix(file, ".txt") + ".etag")
	if err != nil {
		return ""
	}
	return string(data)
}

func (s *Server) namesFile() string {
	if s.client.Cache == "" {
		return ""
	}
	sum := sha256.Sum256([]byte(s.address))
	return filepath.Join(s.client.Cache, "names", hex.EncodeToString(sum[:12])+".txt")
}

func readNames(file string) ([]string, error) {
	data, err := checked.Read(file, limits.Names)
	if err != nil {
		return nil, err
	}
	return lines(data), nil
}

// lines are the names in a text that has a line for each.
func lines(data []byte) []string {
	text := string(data)
	names := make([]string, 0, bytes.Count(data, []byte{'\n'}))
	for len(text) > 0 {
		name, rest, _ := strings.Cut(text, "\n")
		names = append(names, name)
		text = rest
	}
	return names
}

// keepNames writes the file whole or not at all. Where that fails the index is
// asked again, so there is no error.
func keepNames(file, etag string, text []byte) {
	if file == "" || len(text) == 0 {
		return
	}
	beside := strings.TrimSuffix(file, ".txt") + ".etag"
	os.Remove(beside) // it must not tell of a list that is not there
	if checked.Write(file, text) == nil && etag != "" {
		_ = atomicfile.Cache(beside, []byte(etag))
	}
}

// askNames asks for the list of all names, and reads and sorts it while it comes; not where it has
// not changed. One of more than limit bytes is a [*limits.Error]. The text has a line for each name.
func (s *Server) askNames(ctx context.Context, before string, limit int64) (text []byte, etag string, changed bool, err error) {
	res, err := s.client.GetChanged(ctx, s.address, accept, before)
	if err != nil || res == nil {
		return nil, before, false, err
	}
	defer res.Body.Close()
	if res.Size > limit {
		return nil, "", false, &limits.Error{What: s.Address(), Limit: limit, Unit: "bytes"}
	}
	body := &limits.Reader{R: res.Body, What: s.Address(), Limit: limit}
	all := newSorter()
	add := func(name string) error {
		if requirement.ValidName(name) {
			all.add(requirement.Normalize(name))
		}
		return tooManyNames(all.count, s.Address())
	}
	if isJSON(res) {
		err = jsonNames(body, add)
	} else {
		_, err = eachAnchor(body, res.URL, func(a anchor) error { return add(a.text) })
	}
	var large *limits.Error
	var network *fetch.NetworkError
	switch {
	case err == nil:
		text, err = all.text()
		return text, res.ETag, true, err
	case ctx.Err() != nil:
		err = ctx.Err()
	case errors.As(err, &large), errors.As(err, &network):
	case errors.Is(err, errPage):
		err = &NotIndexError{s.Address(), "its list of names is not what the standard says"}
	default:
		err = &NotIndexError{s.Address(), err.Error()}
	}
	return nil, "", false, err
}

// jsonNames reads a list of names in JSON (PEP 691).
func jsonNames(body io.Reader, add func(name string) error) error {
	r := &pageReader{d: jsontext.NewDecoder(body, lenient...), shared: map[string]string{}}
	var says meta
	err := r.object(func(key string) error {
		switch key {
		case "meta":
			return r.into(&says)
		case "projects":
			return r.list(func() error { return r.project(add) })
		}
		return r.d.SkipValue()
	})
	if err == nil && says.fault() != nil {
		err = errPage
	}
	return asPage(err)
}

// project reads an entry of the list of names.
func (r *pageReader) project(add func(name string) error) error {
	return r.object(func(key string) error {
		raw, err := r.d.ReadValue()
		if err != nil || key != "name" {
			return err
		}
		name, err := unquoted(raw)
		if err != nil {
			return err
		}
		return add(name)
	})
}

// tooManyNames is a [*limits.Error] for an index with more names than are read.
func tooManyNames(names int, address string) error {
	if names > limits.Projects {
		return &limits.Error{What: address, Limit: limits.Projects, Unit: "names"}
	}
	return nil
}
