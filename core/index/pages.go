package index

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/url"
	"path"
	"strings"

	"golang.org/x/net/html"

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

// absolute is an address of a page, empty for none.
func absolute(base *url.URL, address string) string {
	if plainAddress(address) {
		return address
	}
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
func eachAnchor(text io.Reader, base *url.URL, give func(anchor) error) (out head, err error) {
	z := html.NewTokenizer(text)
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
func parseHTML(body io.Reader, g *gathering) (Standing, error) {
	var whole ends
	packages := 0
	page, err := eachAnchor(io.TeeReader(body, &whole), g.base, func(a anchor) error {
		if f := a.file(); packageEnding(f.Name) || isSdist(f.Name) {
			packages++
			g.file(f)
		}
		return g.counted()
	})
	if err != nil {
		return Standing{}, err
	}
	if bytes.Contains(bytes.ToLower(whole.first), []byte("<html")) && !bytes.Contains(bytes.ToLower(whole.last), []byte("</html")) {
		return page.standing, errors.New("its page is cut off")
	}
	if packages == 0 && !page.declared && (page.anchors > 0 || !whole.looksEmpty()) {
		return page.standing, errors.New("its page names no package file")
	}
	return page.standing, nil
}

// ends are the first and the last bytes of what is written, as many of each as endSize.
type ends struct{ first, last []byte }

const endSize = 4096

func (e *ends) Write(p []byte) (int, error) {
	e.first = append(e.first, p[:min(len(p), endSize-len(e.first))]...)
	if e.last = append(e.last, p...); len(e.last) > 2*endSize {
		e.last = e.last[:copy(e.last, e.last[len(e.last)-endSize:])]
	}
	return len(p), nil
}

// file is what a link says of a package file.
func (a anchor) file() File {
	href, err := a.base.Parse(a.attributes["href"])
	if err != nil {
		return File{}
	}
	f := File{Name: path.Base(href.Path), Size: -1}
	f.doubtful = a.text != f.Name
	if algorithm, sum, ok := strings.Cut(href.Fragment, "="); ok {
		f.Hashes.Add(algorithm, sum)
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
			f.MetadataHashes.Add(algorithm, sum)
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

// hideSecret takes what lets one in out of the address, for this run alone: no file has it.
func (f *File) hideSecret() {
	if fetch.Redact(f.URL) != f.URL {
		f.secret, f.URL = f.URL, withoutSecrets(f.URL)
	}
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
func (e *ends) looksEmpty() bool {
	text := strings.ToLower(string(e.first))
	return len(e.first) < 1000 && strings.Contains(text, "<html") && strings.Contains(text, "links for")
}
