package index

import (
	"bytes"
	"encoding/json"
	"net/url"
	"path"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"glassjar/core/digest"
)

// entryReader reads what a page says of its files. What many of them share is kept once.
type entryReader struct {
	base     *url.URL
	shared   map[string]string
	metadata map[string]digest.Sums
}

func newEntryReader(base *url.URL) *entryReader {
	return &entryReader{base, map[string]string{}, map[string]digest.Sums{}}
}

// unquoted is the text of a value in quotes.
func unquoted(raw []byte) (string, error) {
	if len(raw) < 2 || raw[0] != '"' {
		return "", errPage
	}
	if bytes.IndexByte(raw, '\\') < 0 && utf8.Valid(raw) {
		return string(raw[1 : len(raw)-1]), nil
	}
	text, err := jsontext.AppendUnquote(nil, raw)
	return strings.ToValidUTF8(string(text), "\ufffd"), err
}

// often is a text that many files have.
func (r *entryReader) often(raw []byte) (string, error) {
	if have, ok := r.shared[string(raw)]; ok {
		return have, nil
	}
	text, err := unquoted(raw)
	if err == nil {
		r.shared[string(raw)] = text
	}
	return text, err
}

// members gives what an object has, each by its name. It is a value of JSON as it was read: that
// it is well formed is known.
func members(object []byte, give func(name, value []byte) error) error {
	if len(object) == 0 || object[0] != '{' {
		return errPage
	}
	rest := object[1:]
	next := func() []byte {
		for len(rest) > 0 && between(rest[0]) {
			rest = rest[1:]
		}
		value := rest[:valueLength(rest)]
		rest = rest[len(value):]
		return value
	}
	for {
		name := next()
		if len(name) == 0 { // the end
			return nil
		}
		key, err := name[1:len(name)-1], error(nil)
		if bytes.IndexByte(key, '\\') >= 0 || !utf8.Valid(key) { // a damaged name is not to pass for one that counts for nothing
			if key, err = jsontext.AppendUnquote(nil, name); err != nil {
				return err
			}
		}
		if err := give(key, next()); err != nil {
			return err
		}
	}
}

// between reports whether a character stands between the values of an object.
func between(c byte) bool {
	return c == ' ' || c == '\t' || c == '\r' || c == '\n' || c == ',' || c == ':'
}

// valueLength is how long the value is that a well-formed text begins with; 0 at the end of what it
// stands in.
func valueLength(text []byte) int {
	depth := 0
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '"':
			i += stringLength(text[i:]) - 1
			if depth == 0 {
				return i + 1
			}
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			if depth == 0 {
				return i
			}
			if depth--; depth == 0 {
				return i + 1
			}
		case depth == 0 && between(c):
			return i
		}
	}
	return len(text)
}

// stringLength is how long the string is that a text begins with, with its quotes.
func stringLength(text []byte) int {
	for at := 1; ; at++ {
		n := bytes.IndexByte(text[at:], '"')
		if n < 0 {
			return len(text)
		}
		at += n
		escapes := 0
		for text[at-1-escapes] == '\\' {
			escapes++
		}
		if escapes%2 == 0 {
			return at + 1
		}
	}
}

// file reads an entry of the list of files into an empty file; ok is false for one without a name or
// an address.
func (r *entryReader) file(f *File, entry []byte) (ok bool, err error) {
	f.Size = -1
	var named []byte // the name with its quotes, which the address mostly ends with
	var address string
	var core, dist separate
	err = members(entry, func(name, raw []byte) (err error) {
		if raw[0] == 'n' && string(name) != "filename" && string(name) != "url" { // null
			return nil
		}
		switch string(name) {
		case "filename":
			named = raw
		case "url":
			address, err = unquoted(raw)
		case "hashes":
			f.Hashes, err = hashesOf(raw)
		case "requires-python":
			f.RequiresPython, err = r.often(raw)
		case "core-metadata":
			core = r.separate(raw)
		case "dist-info-metadata":
			dist = r.separate(raw)
		case "yanked":
			if f.Yanked = string(raw) == "true" || raw[0] == '"'; raw[0] == '"' {
				f.YankedReason, err = r.often(raw)
			}
		case "size":
			f.Size, err = strconv.ParseInt(string(raw), 10, 64)
		case "provenance":
			var where string
			where, err = unquoted(raw)
			f.Provenance = absolute(r.base, where)
		case "upload-time":
			f.Uploaded, err = timeOf(raw)
		}
		return err
	})
	if err != nil {
		return false, err
	}
	if !core.said {
		core = dist
	}
	f.HasMetadata, f.MetadataHashes = core.there, core.hashes
	if named == nil {
		return false, nil
	}
	if at := len(address) - len(named) + 2; at >= 0 && address[at:] == string(named[1:len(named)-1]) && bytes.IndexByte(named, '\\') < 0 {
		f.Name = address[at:] // kept once
	} else if f.Name, err = unquoted(named); err != nil {
		return false, err
	}
	return f.Name != "" && f.at(address, r.base), nil
}

// separate is what a page says of metadata that can be had separately.
type separate struct {
	said, there bool
	hashes      digest.Sums
}

func (r *entryReader) separate(raw []byte) separate {
	if string(raw) == "true" {
		return separate{said: true, there: true}
	}
	if len(raw) == 0 || raw[0] != '{' {
		return separate{said: true}
	}
	hashes, known := r.metadata[string(raw)]
	if !known {
		var err error
		if hashes, err = hashesOf(raw); err != nil {
			return separate{said: true}
		}
		r.metadata[string(raw)] = hashes
	}
	return separate{true, true, hashes}
}

// timeOf is a time in quotes (RFC 3339).
func timeOf(raw []byte) (t time.Time, err error) {
	if len(raw) < 2 || t.UnmarshalText(raw[1:len(raw)-1]) != nil { // as nearly all are written
		var when string
		if when, err = unquoted(raw); err == nil {
			t, err = time.Parse(time.RFC3339, when)
		}
	}
	return t.UTC(), err
}

// lower is a text, mostly of lower case already, in lower case.
func lower(text []byte) string {
	for _, c := range text {
		if c >= 'A' && c <= 'Z' || c >= utf8.RuneSelf {
			return strings.ToLower(string(text))
		}
	}
	return string(text)
}

// hashesOf are hashes in an object.
func hashesOf(raw []byte) (out digest.Sums, err error) {
	// Mostly there is one by SHA-256, in the plainest form.
	if name, rest, ok := bytes.Cut(bytes.TrimPrefix(raw, []byte(`{"`)), []byte(`"`)); ok && len(raw) > 2 && raw[1] == '"' {
		value := bytes.TrimLeft(bytes.TrimPrefix(bytes.TrimLeft(rest, " "), []byte(":")), " ")
		if len(value) > 2 && value[0] == '"' && bytes.HasSuffix(value, []byte(`"}`)) && bytes.Count(value, []byte(`"`)) == 2 && bytes.IndexByte(raw, '\\') < 0 {
			if string(name) == digest.SHA256 {
				return digest.Sums{SHA256: lower(value[1 : len(value)-2])}, nil
			}
		}
	}
	var all map[string]string
	if err := json.Unmarshal(raw, &all); err != nil {
		return out, err
	}
	return digest.SumsOf(all), nil
}

// at sets the address of a file; false where it has none. Addresses as nearly all are need no
// taking apart.
func (f *File) at(address string, base *url.URL) bool {
	if plainAddress(address) {
		f.URL, f.doubtful = address, address[strings.LastIndexByte(address, '/')+1:] != f.Name
		return true
	}
	at, err := base.Parse(address)
	if err != nil {
		return false
	}
	f.URL, f.doubtful = at.String(), path.Base(at.Path) != f.Name
	return true
}

// plainCharacters are letters, digits and what means nothing else in an address.
var plainCharacters = func() (plain [256]bool) {
	for _, c := range []byte("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789._-/") {
		plain[c] = true
	}
	return plain
}()

// plainAddress reports whether an address is a whole one, and the same however it is taken apart.
func plainAddress(address string) bool {
	rest, whole := strings.CutPrefix(address, "https://")
	if !whole {
		if rest, whole = strings.CutPrefix(address, "http://"); !whole {
			return false
		}
	}
	slash := strings.IndexByte(rest, '/')
	if slash <= 0 || slash == len(rest)-1 || rest[len(rest)-1] == '/' {
		return false
	}
	host, port, numbered := strings.Cut(rest[:slash], ":")
	if host == "" || numbered && (port == "" || strings.Trim(port, "0123456789") != "") {
		return false
	}
	return isPlain(host) && isPlain(rest[slash:])
}

func isPlain(text string) bool {
	before := byte(0)
	for i := range len(text) {
		c := text[i]
		if !plainCharacters[c] || c == '.' && before == '/' { // as in "/../"
			return false
		}
		before = c
	}
	return true
}
