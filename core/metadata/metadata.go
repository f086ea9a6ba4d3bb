// Package metadata reads and writes the small files that describe
// distributions: core metadata (versions 1.0 to 2.4), WHEEL, RECORD,
// entry_points.txt, direct_url.json (PEP 610), and the names of package files.
package metadata

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"glassjar/core/requirement"
	"glassjar/core/version"
)

// ErrInvalid is wrapped by every error that reports a file which is not as its
// standard says.
var ErrInvalid = errors.New("not as the standard says")

// Invalid makes an error that wraps [ErrInvalid].
func Invalid(format string, args ...any) error {
	return invalidError(fmt.Sprintf(format, args...))
}

type invalidError string

func (e invalidError) Error() string { return string(e) }
func (e invalidError) Unwrap() error { return ErrInvalid }

// Metadata is a distribution's core metadata.
type Metadata struct {
	// MetadataVersion is as written, such as "2.1".
	MetadataVersion string
	// Name is as written; Key is its normal form.
	Name    string
	Version version.Version
	// RequiresPython is empty where every Python will do.
	RequiresPython version.Specifiers
	Requires       []requirement.Requirement
	// Extras are the normal forms of Provides-Extra, in the order given.
	Extras []string
	// Dynamic are the names of fields that a build may change, lower case.
	Dynamic     []string
	Summary     string
	Description string
	Classifiers []string
	// License is the SPDX expression if there is one, else the free text.
	License  string
	Keywords string
	Author   string
	HomePage string
	// Links are "label, address" pairs, from Project-URL and the older fields.
	Links []Link
}

// Link is a labelled address.
type Link struct {
	Label string `json:"label"`
	URL   string `json:"url"`
}

// Key is the normal form of the name.
func (m Metadata) Key() string { return requirement.Normalize(m.Name) }

// newest is the newest metadata version known; a higher minor version may add
// fields, which are passed over.
const newestMajor = 2

// Parse reads a METADATA or PKG-INFO file. Name and version must be there and
// valid, as must every need; the error wraps [ErrInvalid].
func Parse(data []byte) (Metadata, error) {
	m := Metadata{}
	fields, body, err := headers(data)
	if err != nil {
		return m, err
	}
	m.Description = body
	for _, f := range fields {
		if err := m.set(f.name, f.value); err != nil {
			return m, err
		}
	}
	switch {
	case m.Name == "":
		return m, Invalid("the metadata has no Name")
	case m.Version.IsZero():
		return m, Invalid("the metadata of %s has no Version", m.Name)
	}
	return m, nil
}

func (m *Metadata) set(field, value string) (err error) {
	switch field {
	case "metadata-version":
		m.MetadataVersion = value
		v, err := version.Parse(value)
		if err != nil {
			return Invalid("Metadata-Version %q is not a version", value)
		}
		if !v.Less(version.MustParse(fmt.Sprint(newestMajor + 1))) {
			return Invalid("Metadata-Version %s is newer than this program knows", value)
		}
	case "name":
		if m.Name = value; !requirement.ValidName(value) {
			return Invalid("Name %q is not a distribution's name", value)
		}
	case "version":
		if m.Version, err = version.Parse(value); err != nil {
			return Invalid("Version: %v", err)
		}
	case "requires-python":
		if m.RequiresPython, err = version.ParseSpecifiers(value); err != nil {
			return Invalid("Requires-Python: %v", err)
		}
	case "requires-dist":
		r, err := requirement.Parse(value)
		if err != nil {
			return Invalid("Requires-Dist: %v", err)
		}
		m.Requires = append(m.Requires, r)
	case "provides-extra":
		m.Extras = append(m.Extras, requirement.Normalize(value))
	case "dynamic":
		m.Dynamic = append(m.Dynamic, strings.ToLower(value))
	case "summary":
		m.Summary = value
	case "description":
		m.Description = value
	case "classifier":
		m.Classifiers = append(m.Classifiers, value)
	case "license-expression":
		m.License = value
	case "license":
		if m.License == "" {
			m.License = value
		}
	case "keywords":
		m.Keywords = value
	case "author", "author-email", "maintainer", "maintainer-email":
		if m.Author == "" {
			m.Author = value
		}
	case "home-page":
		m.HomePage = value
		m.Links = append(m.Links, Link{"home page", value})
	case "download-url":
		m.Links = append(m.Links, Link{"download", value})
	case "project-url":
		label, url, _ := strings.Cut(value, ",")
		m.Links = append(m.Links, Link{strings.TrimSpace(label), strings.TrimSpace(url)})
	}
	return nil
}

type field struct{ name, value string }

// maxFields bounds the number of headers of one file.
const maxFields = 100000

// headers splits a file in the mail format into its fields, names in lower
// case, and the body. Lines that begin with white space continue a value.
func headers(data []byte) ([]field, string, error) {
	if !utf8.Valid(data) {
		data = bytes.ToValidUTF8(data, []byte("\uFFFD"))
	}
	text := strings.ReplaceAll(string(data), "\r\n", "\n")
	text = strings.TrimPrefix(text, "\uFEFF")
	var fields []field
	for text != "" {
		line, rest, _ := strings.Cut(text, "\n")
		if line == "" {
			return fields, rest, nil
		}
		text = rest
		if line[0] == ' ' || line[0] == '\t' {
			if len(fields) == 0 {
				return nil, "", Invalid("the first line %q continues nothing", line)
			}
			last := &fields[len(fields)-1]
			// The folding of old descriptions is undone.
			last.value += "\n" + strings.TrimPrefix(strings.TrimPrefix(line, "       "), "|")
			continue
		}
		name, value, ok := strings.Cut(line, ":")
		if !ok {
			return nil, "", Invalid("%q is not a field", line)
		}
		if len(fields) == maxFields {
			return nil, "", Invalid("more than %d fields", maxFields)
		}
		fields = append(fields, field{strings.ToLower(strings.TrimSpace(name)), strings.TrimSpace(value)})
	}
	return fields, "", nil
}
