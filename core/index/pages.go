package index

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"path"
	"strings"
	"time"

	"golang.org/x/net/html"

	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// meta is what a page says of itself.
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

// jsonFile is a file in a page of JSON.
type jsonFile struct {
	Filename       string
	URL            string
	Hashes         map[string]string
	RequiresPython *string         `json:"requires-python"`
	CoreMetadata   json.RawMessage `json:"core-metadata"`
	DistMetadata   json.RawMessage `json:"dist-info-metadata"`
	Yanked         json.RawMessage
	Size           *int64
	Provenance     *string
	UploadTime     *time.Time `json:"upload-time"`
}

// parseJSON reads a distribution's page in JSON (PEP 691, 700, 714, 740), one file after
// the other: pages are large.
func parseJSON(data []byte, base *url.URL) ([]File, Standing, error) {
	d := json.NewDecoder(bytes.NewReader(data))
	other := errors.New("its page is not what the standard says")
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return nil, Standing{}, other
	}
	var out []File
	var says jsonStanding
	listed := false
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return nil, Standing{}, other
		}
		var into any = &json.RawMessage{}
		switch key {
		case "meta":
			into = &says.Meta
		case "project-status":
			into = &says.Status
		case "alternate-locations":
			into = &says.Alternates
		case "files":
			listed = true
			if out, err = jsonFiles(d, base); err != nil {
				var large *limits.Error
				if errors.As(err, &large) {
					return nil, Standing{}, err
				}
				return nil, Standing{}, other
			}
			continue
		}
		if err := d.Decode(into); err != nil && key != "project-status" && key != "alternate-locations" {
			return nil, Standing{}, other
		}
	}
	if _, err := d.Token(); err != nil || !listed {
		return nil, Standing{}, other
	}
	if err := says.Meta.fault(); err != nil {
		return nil, Standing{}, err
	}
	return out, says.standing(), nil
}

// jsonFiles reads a list of files.
func jsonFiles(d *json.Decoder, base *url.URL) (out []File, err error) {
	if t, err := d.Token(); err != nil || t != json.Delim('[') {
		return nil, errors.New("it is no list")
	}
	for entries := 1; d.More(); entries++ {
		var in jsonFile
		if err := d.Decode(&in); err != nil {
			return nil, err
		}
		if at, err := base.Parse(in.URL); err == nil && in.Filename != "" {
			out = append(out, in.file(at, base))
		}
		if err := tooMany(entries, base); err != nil {
			return out, err
		}
	}
	_, err = d.Token()
	return out, err
}

// file is what an entry of a page says, which stands at an address.
func (in jsonFile) file(at, base *url.URL) File {
	f := File{Name: in.Filename, URL: at.String(), Hashes: digest.Normal(in.Hashes), Size: -1, doubtful: path.Base(at.Path) != in.Filename}
	if in.RequiresPython != nil {
		f.RequiresPython = *in.RequiresPython
	}
	if in.Size != nil {
		f.Size = *in.Size
	}
	if in.UploadTime != nil {
		f.Uploaded = in.UploadTime.UTC()
	}
	if in.Provenance != nil {
		f.Provenance = absolute(base, *in.Provenance)
	}
	raw := in.CoreMetadata
	if raw == nil {
		raw = in.DistMetadata
	}
	f.HasMetadata = json.Unmarshal(raw, &f.MetadataHashes) == nil && f.MetadataHashes != nil || string(raw) == "true"
	f.MetadataHashes = digest.Normal(f.MetadataHashes)
	var reason string
	if json.Unmarshal(in.Yanked, &reason) == nil && len(in.Yanked) > 0 && string(in.Yanked) != "null" {
		f.Yanked, f.YankedReason = true, reason
	} else {
		f.Yanked = string(in.Yanked) == "true"
	}
	return f
}

// absolute is an address of a page, empty for none.
func absolute(base *url.URL, address string) string {
	u, err := base.Parse(address)
	if address == "" || err != nil {
		return ""
	}
	return u.String()
}

// anchor is a link of a page, with what stands in it.
type anchor struct {
	base       *url.URL
	text       string
	attributes map[string]string
}

// page of HTML: what it says of itself.
type head struct {
	standing Standing
	// declared tells that the page says which version of the API it speaks.
	declared bool
	anchors  int
}

// eachAnchor gives the anchors of a page, with <base> and the API's version taken into
// account. An error of give ends it.
func eachAnchor(data []byte, base *url.URL, give func(anchor) error) (out head, err error) {
	z := html.NewTokenizer(bytes.NewReader(data))
	var open *anchor
	done := func() error {
		if open == nil {
			return nil
		}
		a := *open
		open = nil
		out.anchors++
		return give(a)
	}
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			if err := z.Err(); err != io.EOF {
				return out, err
			}
			return out, done()
		}
		if kind == html.TextToken {
			if open != nil {
				open.text += strings.TrimSpace(string(z.Text()))
			}
			continue
		}
		name, more := z.TagName()
		tag := string(name)
		if tag != "a" && tag != "base" && tag != "meta" {
			continue
		}
		if tag == "a" {
			if err := done(); err != nil {
				return out, err
			}
		}
		if kind == html.EndTagToken {
			continue
		}
		attributes := map[string]string{}
		for more {
			var key, value []byte
			key, value, more = z.TagAttr()
			attributes[string(key)] = string(value)
		}
		switch {
		case tag == "base":
			if u, err := base.Parse(attributes["href"]); err == nil {
				base = u
			}
		case tag == "meta" && strings.HasSuffix(attributes["name"], ":repository-version"):
			if err := (meta{attributes["content"]}).fault(); err != nil {
				return out, err
			}
			out.declared = true
		case tag == "meta":
			out.standing.takeMeta(attributes["name"], attributes["content"])
		default:
			open = &anchor{base: base, attributes: attributes}
		}
	}
}

// parseHTML reads a distribution's page in HTML (PEP 503, 592, 658, 714).
func parseHTML(data []byte, base *url.URL) ([]File, Standing, error) {
	var out []File
	entries := 0
	page, err := eachAnchor(data, base, func(a anchor) error {
		if f := a.file(); packageEnding(f.Name) || isSdist(f.Name) {
			out = append(out, f)
		}
		entries++
		return tooMany(entries, base)
	})
	if err != nil {
		return nil, Standing{}, err
	}
	if text := bytes.ToLower(data[max(0, len(data)-4096):]); bytes.Contains(bytes.ToLower(data[:min(len(data), 4096)]), []byte("<html")) && !bytes.Contains(text, []byte("</html")) {
		return nil, page.standing, errors.New("its page is cut off")
	}
	if len(out) == 0 && !page.declared && (page.anchors > 0 || !looksEmpty(data)) {
		return nil, page.standing, errors.New("its page names no package file")
	}
	return out, page.standing, nil
}

// file is what a link says of a package file.
func (a anchor) file() File {
	href, err := a.base.Parse(a.attributes["href"])
	if err != nil {
		return File{}
	}
	f := File{Name: path.Base(href.Path), Size: -1, Hashes: map[string]string{}}
	f.doubtful = a.text != f.Name
	if algorithm, sum, ok := strings.Cut(href.Fragment, "="); ok {
		f.Hashes[strings.ToLower(algorithm)] = strings.ToLower(sum)
	}
	clean := *href
	clean.Fragment = ""
	f.URL = clean.String()
	f.RequiresPython = a.attributes["data-requires-python"]
	f.YankedReason, f.Yanked = a.attributes["data-yanked"]
	f.Provenance = absolute(a.base, a.attributes["data-provenance"])
	value, ok := a.attributes["data-core-metadata"]
	if !ok {
		value, ok = a.attributes["data-dist-info-metadata"]
	}
	if f.HasMetadata = ok && value != "false"; f.HasMetadata {
		if algorithm, sum, ok := strings.Cut(value, "="); ok {
			f.MetadataHashes = map[string]string{strings.ToLower(algorithm): strings.ToLower(sum)}
		}
	}
	return f
}

// tooMany is a [*limits.Error] for a page with more entries than are read.
func tooMany(files int, page *url.URL) error {
	if files > limits.Files {
		return &limits.Error{What: fetch.Redact(page.String()), Limit: limits.Files, Unit: "files"}
	}
	return nil
}

// withoutSecrets is an address without what lets one in.
func withoutSecrets(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return fetch.Redact(address)
	}
	u.User, u.RawQuery = nil, ""
	return u.String()
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
