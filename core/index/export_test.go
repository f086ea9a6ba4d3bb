package index

import (
	"fmt"
	"net/url"
	"reflect"
)

// ParsePage reads a page as [Server.Files] does, without a server.
func ParsePage(data []byte, html bool, at *url.URL) ([]File, error) {
	parse := parseJSON
	if html {
		parse = parseHTML
	}
	files, _, err := parse(data, at)
	for i := range files {
		files[i].describe("")
	}
	return files, err
}

// InPieces reads a page in JSON in so many pieces, if it can be cut, and from its beginning.
func InPieces(data []byte, at *url.URL, pieces int) (inPieces, whole []File, done bool, err error) {
	inPieces, said, done := parseInPieces(data, at, pieces)
	whole, standing, err := parseJSON(data, at)
	if done && !reflect.DeepEqual(standing, said) {
		err = fmt.Errorf("%v is not %v", said, standing)
	}
	return inPieces, whole, done, err
}

// PlainAddress is [plainAddress].
var PlainAddress = plainAddress

// Settle waits until the list of names that was asked for ahead is read and kept.
func (s *Server) Settle() { s.listed.asking.Wait() }
