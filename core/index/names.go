package index

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"mime"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/fetch"
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
	names, err := s.askNames(ctx)
	if err != nil {
		if kept, readErr := readNames(file); file != "" && readErr == nil && ctx.Err() == nil {
			return kept, nil // an old list is better than none
		}
		return nil, err
	}
	slices.Sort(names)
	names = slices.Compact(names)
	keepNames(file, names)
	return names, nil
}

func (s *Server) namesFile() string {
	if s.client.Cache == "" {
		return ""
	}
	sum := sha256.Sum256([]byte(s.address))
	return filepath.Join(s.client.Cache, "names", hex.EncodeToString(sum[:12])+".txt")
}

func readNames(file string) ([]string, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	text := string(data)
	names := make([]string, 0, bytes.Count(data, []byte{'\n'}))
	for len(text) > 0 {
		name, rest, _ := strings.Cut(text, "\n")
		names = append(names, name)
		text = rest
	}
	return names, nil
}

// keepNames writes the file whole or not at all. Where that fails the index is
// asked again, so there is no error.
func keepNames(file string, names []string) {
	if file != "" && len(names) > 0 {
		_ = atomicfile.Cache(file, []byte(strings.Join(names, "\n")+"\n"))
	}
}

// askNames asks for the list of all names.
func (s *Server) askNames(ctx context.Context) ([]string, error) {
	data, res, err := s.client.Read(ctx, s.address, accept, limits.Names)
	if err != nil {
		return nil, err
	}
	var names []string
	if kind, _, _ := mime.ParseMediaType(res.ContentType); isJSON(kind) {
		var list struct {
			Meta     meta
			Projects []struct{ Name string }
		}
		if err := json.Unmarshal(data, &list); err != nil || list.Meta.fault() != nil {
			return nil, &NotIndexError{s.Address(), "its list of names is not what the standard says"}
		}
		if err := tooManyNames(len(list.Projects), s.Address()); err != nil {
			return nil, err
		}
		for _, p := range list.Projects {
			if requirement.ValidName(p.Name) {
				names = append(names, requirement.Normalize(p.Name))
			}
		}
		return names, nil
	}
	_, err = eachAnchor(data, res.URL, func(a anchor) error {
		if requirement.ValidName(a.text) {
			names = append(names, requirement.Normalize(a.text))
		}
		return tooManyNames(len(names), s.Address())
	})
	var large *limits.Error
	if errors.As(err, &large) {
		return nil, err
	}
	if err != nil {
		return nil, &NotIndexError{fetch.Redact(s.address), err.Error()}
	}
	return names, nil
}

// tooManyNames is a [*limits.Error] for an index with more names than are read.
func tooManyNames(names int, address string) error {
	if names > limits.Projects {
		return &limits.Error{What: address, Limit: limits.Projects, Unit: "names"}
	}
	return nil
}
