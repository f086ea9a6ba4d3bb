package index

import (
	"bytes"
	"encoding/json"
	"errors"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/limits"
)

// errPage says that a page of JSON is not as PEP 691 has it.
var errPage = errors.New("its page is not what the standard says")

// lenient are what pages of servers may do: text that is not UTF-8, and a name twice.
var lenient = []jsontext.Options{jsontext.AllowInvalidUTF8(true), jsontext.AllowDuplicateNames(true)}

// parseJSON reads a distribution's page in JSON (PEP 691, 700, 714, 740). Pages of tens of
// thousands of files are read as a stream of tokens, and what many files share is kept once.
func parseJSON(data []byte, base *url.URL) ([]File, Standing, error) {
	r := &pageReader{valid: utf8.Valid(data), d: jsontext.NewDecoder(bytes.NewBuffer(data), lenient...), base: base, length: len(data), shared: map[string]string{}, metadata: map[string]digest.Sums{}}
	var says jsonStanding
	listed := false
	err := r.object(func(key string) error {
		switch key {
		case "files":
			listed = true
			return r.list(r.file)
		case "meta":
			return r.into(&says.Meta)
		case "project-status":
			_ = r.into(&says.Status) // what cannot be understood says nothing
			return nil
		case "alternate-locations":
			_ = r.into(&says.Alternates)
			return nil
		}
		return r.d.SkipValue()
	})
	if err == nil && !listed {
		err = errPage
	}
	if err := asPage(err); err != nil {
		return nil, Standing{}, err
	}
	if err := says.Meta.fault(); err != nil {
		return nil, Standing{}, err
	}
	return r.files, says.standing(), nil
}

// asPage is the error of a page that was read: that it is no such page, but for what came of
// the network or is more than is read.
func asPage(err error) error {
	var large *limits.Error
	var network *fetch.NetworkError
	if err == nil || errors.As(err, &large) || errors.As(err, &network) {
		return err
	}
	return errPage
}

// pageReader is a page that is being read.
type pageReader struct {
	d     *jsontext.Decoder
	base  *url.URL
	valid bool // it is UTF-8 throughout
	files []File
	// shared are texts that many files have, metadata the hashes of it by their text.
	shared   map[string]string
	metadata map[string]digest.Sums
	entries  int
	length   int // of the whole page, in bytes
}

// object reads an object, each member by its name.
func (r *pageReader) object(member func(key string) error) error {
	if err := r.open('{'); err != nil {
		return err
	}
	for r.d.PeekKind() != '}' {
		raw, err := r.d.ReadValue()
		if err != nil {
			return err
		}
		key, err := r.unquote(raw)
		if err != nil {
			return err
		}
		if err := member(key); err != nil {
			return err
		}
	}
	_, err := r.d.ReadToken()
	return err
}

// open reads what an object or a list begins with.
func (r *pageReader) open(kind jsontext.Kind) error {
	t, err := r.d.ReadToken()
	if err == nil && t.Kind() != kind {
		err = errPage
	}
	return err
}

// list reads a list.
func (r *pageReader) list(element func() error) error {
	if err := r.open('['); err != nil {
		return err
	}
	for r.d.PeekKind() != ']' {
		if err := element(); err != nil {
			return err
		}
	}
	_, err := r.d.ReadToken()
	return err
}

// into reads a small value.
func (r *pageReader) into(value any) error {
	raw, err := r.d.ReadValue()
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, value)
}

// unquote is a text that many have, such as the name of a member.
func (r *pageReader) unquote(raw []byte) (string, error) {
	if have, ok := r.shared[string(raw)]; ok {
		return have, nil
	}
	text, err := r.text(raw)
	if err == nil {
		r.shared[string(raw)] = text
	}
	return text, err
}

// text is that of a value in quotes.
func (r *pageReader) text(raw []byte) (string, error) {
	if len(raw) < 2 || raw[0] != '"' {
		return "", errPage
	}
	if bytes.IndexByte(raw, '\\') < 0 && (r.valid || utf8.Valid(raw)) {
		return string(raw[1 : len(raw)-1]), nil
	}
	text, err := jsontext.AppendUnquote(nil, raw)
	return strings.ToValidUTF8(string(text), "\ufffd"), err
}

// file reads an entry of the list of files.
func (r *pageReader) file() error {
	f := File{Size: -1}
	var address string
	var core, dist separate
	err := r.object(func(key string) (err error) {
		raw, err := r.d.ReadValue()
		if err != nil {
			return err
		}
		if raw.Kind() == 'n' && key != "filename" && key != "url" {
			return nil
		}
		switch key {
		case "filename":
			f.Name, err = r.text(raw)
		case "url":
			address, err = r.text(raw)
		case "hashes":
			f.Hashes, err = hashesOf(raw)
		case "requires-python":
			f.RequiresPython, err = r.unquote(raw)
		case "core-metadata":
			core = r.separate(raw)
		case "dist-info-metadata":
			dist = r.separate(raw)
		case "yanked":
			if f.Yanked = string(raw) == "true" || raw.Kind() == '"'; raw.Kind() == '"' {
				f.YankedReason, err = r.unquote(raw)
			}
		case "size":
			f.Size, err = strconv.ParseInt(string(raw), 10, 64)
		case "provenance":
			var where string
			where, err = r.text(raw)
			f.Provenance = absolute(r.base, where)
		case "upload-time":
			var text string
			if text, err = r.text(raw); err == nil {
				f.Uploaded, err = time.Parse(time.RFC3339, text)
				f.Uploaded = f.Uploaded.UTC()
			}
		}
		return err
	})
	if err != nil {
		return err
	}
	if !core.said {
		core = dist
	}
	f.HasMetadata, f.MetadataHashes = core.there, core.hashes
	if f.Name != "" && f.at(address, r.base) {
		if strings.HasSuffix(f.URL, f.Name) {
			f.Name = f.URL[len(f.URL)-len(f.Name):] // kept once
		}
		r.files = append(r.files, f)
	}
	if r.entries++; r.entries == 64 { // the others are about as long
		all := int64(r.length) * 68 / r.d.InputOffset()
		r.files = slices.Grow(r.files, min(int(all), limits.Files))
	}
	return tooMany(r.entries, r.base)
}

// separate is what a page says of metadata that can be had separately.
type separate struct {
	said, there bool
	hashes      digest.Sums
}

func (r *pageReader) separate(raw []byte) separate {
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

// hashesOf are hashes in an object.
func hashesOf(raw []byte) (out digest.Sums, err error) {
	// Mostly there is one by SHA-256, in the plainest form.
	if name, rest, ok := bytes.Cut(bytes.TrimPrefix(raw, []byte(`{"`)), []byte(`"`)); ok && len(raw) > 2 && raw[1] == '"' {
		value := bytes.TrimLeft(bytes.TrimPrefix(bytes.TrimLeft(rest, " "), []byte(":")), " ")
		if len(value) > 2 && value[0] == '"' && bytes.HasSuffix(value, []byte(`"}`)) && bytes.Count(value, []byte(`"`)) == 2 && bytes.IndexByte(raw, '\\') < 0 {
			if string(name) == digest.SHA256 {
				return digest.Sums{SHA256: strings.ToLower(string(value[1 : len(value)-2]))}, nil
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
	return isPlain(host) && isPlain(rest[slash:]) && !strings.Contains(rest[slash:], "/.")
}

func isPlain(text string) bool {
	for i := range len(text) {
		if !plainCharacters[text[i]] {
			return false
		}
	}
	return true
}
