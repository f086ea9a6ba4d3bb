// Package metadata reads and writes the small files that describe
// distributions: core metadata (versions 1.0 to 2.4), WHEEL, RECORD,
// entry_points.txt, direct_url.json (PEP 610), and the names of package files.
package metadata

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"glassjar/core/limits"
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
	// Unread are lines of Requires-Dist that no reading makes sense of. They count
	// only where they apply.
	Unread []UnreadNeed
	// Extras are the normal forms of Provides-Extra, in the order given.
	Extras []string
	// Dynamic are the names of fields that a build may change, lower case.
	Dynamic     []string
	Summary     string
	Classifiers []string
	// LicenseExpression is that of SPDX, License the field for free words, LicenseFiles are the fields
	// License-File; what they mean together is told by package licence.
	LicenseExpression string
	License           string
	LicenseFiles      []string

	Keywords string
	Author   string
	HomePage string
	// Links are "label, address" pairs, from Project-URL and the older fields.
	Links []Link
}

// UnreadNeed is a need that cannot be read.
type UnreadNeed struct {
	// Text is the whole value; Why says what is wrong with it.
	Text, Why string
	// Marker tells where it applies, as far as that can be read: everywhere if it
	// is zero.
	Marker requirement.Marker
}

// Fault is what is wrong, as an error that wraps [ErrInvalid].
func (u UnreadNeed) Fault() error { return Invalid("Requires-Dist %q: %s", u.Text, u.Why) }

// Link is a labelled address.
type Link struct {
	Label string
	URL   string
}

// Key is the normal form of the name.
func (m Metadata) Key() string { return requirement.Normalize(m.Name) }

// newest is the newest metadata version known; a higher minor version may add
// fields, which are passed over.
const newestMajor = 2

var tooNew = sync.OnceValue(func() version.Version { return version.MustParse(strconv.Itoa(newestMajor + 1)) })

// Parse reads a METADATA or PKG-INFO file. Name and version must be there and
// valid; the error wraps [ErrInvalid].
func Parse(data []byte) (Metadata, error) {
	m := Metadata{}
	fields, err := Fields(data)
	if err != nil {
		return m, err
	}
	needs := 0
	for _, f := range fields {
		if f.Name == "requires-dist" {
			needs++
		}
	}
	if needs > 0 {
		m.Requires = make([]requirement.Requirement, 0, needs)
	}
	for _, f := range fields {
		if err := m.set(f.Name, f.Value); err != nil {
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
		if !v.Less(tooNew()) {
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
		if m.RequiresPython, err = version.ParseLegacySpecifiers(value); err != nil {
			return Invalid("Requires-Python %q: %v", value, err)
		}
	case "requires-dist":
		r, err := requirement.ParseLegacy(value)
		if err != nil {
			m.Unread = append(m.Unread, unread(value, err))
			return nil
		}
		m.Requires = append(m.Requires, r)
	case "provides-extra":
		m.Extras = append(m.Extras, requirement.Normalize(value))
	case "dynamic":
		m.Dynamic = append(m.Dynamic, strings.ToLower(value))
	case "summary":
		m.Summary = value
	case "classifier":
		m.Classifiers = append(m.Classifiers, value)
	case "license-expression":
		m.LicenseExpression = value
	case "license":
		m.License = value
	case "license-file":
		m.LicenseFiles = append(m.LicenseFiles, value)
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

func unread(value string, err error) UnreadNeed {
	u := UnreadNeed{Text: value, Why: err.Error()}
	var at *requirement.ParseError
	if errors.As(err, &at) {
		u.Why = fmt.Sprintf("column %d: expected %s", at.Column, at.Expected)
	}
	if _, marker, ok := strings.Cut(value, ";"); ok {
		if m, err := requirement.ParseMarker(strings.TrimSpace(marker)); err == nil {
			u.Marker = m
		}
	}
	return u
}

// Field is one field of a file in the mail format, its name in lower case.
type Field struct{ Name, Value string }

// Fields splits a file in the mail format into its fields, up to the first empty line: what
// comes after it, mostly a long description, is not looked at. Lines that begin with white
// space continue a value. The error wraps [ErrInvalid].
func Fields(data []byte) ([]Field, error) {
	data = bytes.TrimPrefix(data, []byte("\uFEFF"))
	for _, empty := range []string{"\n\n", "\n\r\n"} {
		if i := bytes.Index(data, []byte(empty)); i >= 0 {
			data = data[:i+1]
		}
	}
	if !utf8.Valid(data) {
		data = bytes.ToValidUTF8(data, []byte("\uFFFD"))
	}
	text := strings.ReplaceAll(string(data), "\r\n", "\n")
	fields := make([]Field, 0, 16)
	var more []string // lines that continue the last field
	end := func() {
		if len(more) > 0 {
			last := &fields[len(fields)-1]
			last.Value += "\n" + strings.Join(more, "\n")
			more = nil
		}
	}
	for text != "" {
		line, rest, _ := strings.Cut(text, "\n")
		if line == "" {
			break
		}
		text = rest
		if line[0] == ' ' || line[0] == '\t' {
			if len(fields) == 0 {
				return nil, Invalid("the first line %q continues nothing", line)
			}
			// The folding of old descriptions is undone.
			more = append(more, strings.TrimPrefix(strings.TrimPrefix(line, "       "), "|"))
			continue
		}
		end()
		name, value, ok := strings.Cut(line, ":")
		if !ok {
			return nil, Invalid("%q is not a field", line)
		}
		if len(fields) == limits.Fields {
			return nil, Invalid("more than %d fields", limits.Fields)
		}
		fields = append(fields, Field{strings.ToLower(strings.TrimSpace(name)), strings.TrimSpace(value)})
	}
	end()
	return fields, nil
}
