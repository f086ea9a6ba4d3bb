// Package requirement implements dependency specifiers (PEP 508 and the text
// that succeeded it): requirements, names, and environment markers.
package requirement

import (
	"fmt"
	"sort"
	"strings"

	"glassjar/core/version"
)

// ParseError points at the place where text stops being what the standard
// admits.
type ParseError struct {
	// Text is the whole input.
	Text string
	// Column counts characters from 1; one past the end means "at the end".
	Column int
	// Expected says what could stand there.
	Expected string
}

func (e *ParseError) Error() string {
	return fmt.Sprintf("column %d of %q: expected %s", e.Column, e.Text, e.Expected)
}

// Requirement is one dependency specifier.
type Requirement struct {
	// Name is the distribution's name as written; Key is its normal form.
	Name string
	// Extras are as written, sorted, without repetitions.
	Extras []string
	// Specifiers is empty where a URL is given or any version will do.
	Specifiers version.Specifiers
	// URL is a direct reference (PEP 508, "@"), or empty.
	URL string
	// Marker is the zero Marker where none is written.
	Marker Marker
}

// Key is the normal form of the name (PEP 503).
func (r Requirement) Key() string { return Normalize(r.Name) }

// ExtraKeys are the normal forms of the extras, sorted.
func (r Requirement) ExtraKeys() []string {
	keys := make([]string, 0, len(r.Extras))
	for _, e := range r.Extras {
		keys = append(keys, Normalize(e))
	}
	return uniqueSorted(keys)
}

// String writes the requirement in one form whatever the input's spacing.
func (r Requirement) String() string {
	var b strings.Builder
	b.WriteString(r.Name)
	if len(r.Extras) > 0 {
		b.WriteString("[" + strings.Join(r.Extras, ",") + "]")
	}
	b.WriteString(r.Specifiers.String())
	if r.URL != "" {
		b.WriteString(" @ " + r.URL)
	}
	if !r.Marker.IsZero() {
		if r.URL != "" {
			b.WriteString(" ")
		}
		b.WriteString("; " + r.Marker.String())
	}
	return b.String()
}

// Parse reads one requirement. The error is a [*ParseError].
func Parse(text string) (Requirement, error) {
	return parse(&scanner{text: text, clause: version.ParseSpecifier})
}

// ParseLegacy is [Parse] for what publishers wrote into releases, which may be older
// than the standard or not quite up to it: see [version.ParseLegacySpecifier].
func ParseLegacy(text string) (Requirement, error) {
	return parse(&scanner{text: text, clause: version.ParseLegacySpecifier, bare: true})
}

func parse(s *scanner) (Requirement, error) {
	r, err := s.requirement()
	if err != nil {
		return Requirement{}, err
	}
	return r, nil
}

// MustParse is [Parse] for text known to be right; it panics otherwise.
func MustParse(text string) Requirement {
	r, err := Parse(text)
	if err != nil {
		panic(err)
	}
	return r
}

// ValidName reports whether text is a name of a distribution or an extra:
// ASCII letters, digits, '-', '_' and '.', with a letter or digit at both ends.
func ValidName(text string) bool {
	if text == "" || !alphanumeric(text[0]) || !alphanumeric(text[len(text)-1]) {
		return false
	}
	for i := 0; i < len(text); i++ {
		if !nameByte(text[i]) {
			return false
		}
	}
	return true
}

// normal reports whether a name is in its normal form already.
func normal(name string) bool {
	for i := 0; i < len(name); i++ {
		switch c := name[i]; {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
		case c == '-' && i > 0 && i < len(name)-1 && name[i-1] != '-':
		default:
			return false
		}
	}
	return true
}

// Normalize is the normal form of a name (PEP 503): lower case, and every run
// of '-', '_' and '.' one '-'.
func Normalize(name string) string {
	if normal(name) {
		return name
	}
	var b strings.Builder
	b.Grow(len(name))
	gap := false
	for i := 0; i < len(name); i++ {
		c := name[i]
		switch {
		case c == '-' || c == '_' || c == '.':
			gap = true
			continue
		case c >= 'A' && c <= 'Z':
			c += 'a' - 'A'
		}
		if gap {
			b.WriteByte('-')
			gap = false
		}
		b.WriteByte(c)
	}
	if gap {
		b.WriteByte('-')
	}
	return b.String()
}

func alphanumeric(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

func nameByte(c byte) bool { return alphanumeric(c) || c == '-' || c == '_' || c == '.' }

func uniqueSorted(words []string) []string {
	sort.Strings(words)
	out := words[:0]
	for i, w := range words {
		if i == 0 || w != words[i-1] {
			out = append(out, w)
		}
	}
	return out
}
