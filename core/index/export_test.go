package index

import "net/url"

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

// PlainAddress is [plainAddress].
var PlainAddress = plainAddress

// Settle waits until the list of names that was asked for ahead is read and kept.
func (s *Server) Settle() { s.listed.asking.Wait() }
