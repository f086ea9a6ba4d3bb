package index

import (
	"bytes"
	"net/url"
	"slices"

	_ "glassjar/internal/long"
)

// ParsePage reads a page as [Server.Files] does, without a server.
func ParsePage(data []byte, html bool, at *url.URL) ([]File, error) {
	parse := form(parseJSON)
	if html {
		parse = parseHTML
	}
	_, parts, err := (&gathering{base: at}).read(bytes.NewReader(data), parse)
	if err != nil {
		return nil, err
	}
	files := slices.Concat(parts...)
	for i := range files {
		files[i].describe("")
	}
	return files, nil
}

// PlainAddress is [plainAddress].
var PlainAddress = plainAddress

// Settle waits until the list of names that was asked for ahead is read and kept.
func (s *Server) Settle() { s.listed.asking.Wait() }
