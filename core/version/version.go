// Package version implements PEP 440: versions, their order, and the
// specifiers that select among them.
//
// Every [Version] carries a key, a byte string made so that the order of keys
// is the order of versions. A set of versions is then a list of intervals of
// keys, cut wherever a rule of the standard needs a cut (see [Set]), also at
// places where no version can stand: "after every local version of 1.0" is
// the public key of 1.0 followed by a byte larger than any that may follow.
// Numbers have no upper limit; they are kept as decimal digits.
package version

import (
	"errors"
	"fmt"
	"strings"

	"glassjar/core/internal/lazy"
)

// ErrInvalid is wrapped by every error that reports text which is not a
// version or not a specifier.
var ErrInvalid = errors.New("not as PEP 440 writes it")

// ParseError tells which text was refused and why.
type ParseError struct {
	// What was read: "version" or "specifier".
	Kind string
	// Text is the input as given.
	Text string
	// Why is a short reason, or empty when the form as a whole is wrong.
	Why string
}

func (e *ParseError) Error() string {
	if e.Why == "" {
		return fmt.Sprintf("%q is not a %s", e.Text, e.Kind)
	}
	return fmt.Sprintf("%q is not a %s: %s", e.Text, e.Kind, e.Why)
}

func (e *ParseError) Unwrap() error { return ErrInvalid }

// Version is one version in PEP 440's normal form. The zero value is no
// version; [Version.IsZero] tells. Two versions are equal exactly when their
// keys are ([Version.Equal]): 1.0 and 1.0.0 are.
type Version struct {
	_    [0]func() // not compared with ==
	text string
	key  string
	*parts
	early bool // what [Version.IsPrerelease] tells, which is asked of lists of thousands
}

// known are the parts, of the zero value none.
func (v Version) known() *parts {
	if v.parts == nil {
		return &parts{}
	}
	return v.parts
}

// parts are what a version consists of. They do not change.
type parts struct {
	epoch   string
	release []string
	pre     string // "a", "b" or "rc"; empty if none
	preN    string
	post    string
	dev     string
	local   string
	hasPost bool
	hasDev  bool
	// Where in the key the release, what belongs to it of pre-releases, and all but the local
	// segment end.
	releaseEnd, phaseEnd, publicEnd int
}

// The form of PEP 440, appendix B, for lower-cased text without surrounding
// white space. [0-9] rather than \d: other scripts' digits are not admitted.
var versionForm = lazy.Pattern(`^v?(?:([0-9]+)!)?([0-9]+(?:\.[0-9]+)*)` +
	`(?:[-_.]?(alpha|a|beta|b|preview|pre|c|rc)[-_.]?([0-9]*))?` +
	`(?:-([0-9]+)|[-_.]?(post|rev|r)[-_.]?([0-9]*))?` +
	`(?:[-_.]?(dev)[-_.]?([0-9]*))?` +
	`(?:\+([a-z0-9]+(?:[-_.][a-z0-9]+)*))?$`)

const space = " \t\n\r\f\v"

// Parse reads a version in any of the forms that PEP 440 admits, with white
// space around it. The error is a [*ParseError].
func Parse(text string) (Version, error) {
	if v, ok := plain(text); ok {
		return v, nil
	}
	low := strings.ToLower(strings.Trim(text, space))
	m := versionForm().FindStringSubmatch(low)
	if m == nil {
		return Version{}, &ParseError{Kind: "version", Text: text}
	}
	v := Version{parts: &parts{epoch: number(m[1])}}
	for _, part := range strings.Split(m[2], ".") {
		v.release = append(v.release, number(part))
	}
	if m[3] != "" {
		v.pre, v.preN = preLetter(m[3]), number(m[4])
	}
	switch {
	case m[5] != "":
		v.post, v.hasPost = number(m[5]), true
	case m[6] != "":
		v.post, v.hasPost = number(m[7]), true
	}
	if m[8] != "" {
		v.dev, v.hasDev = number(m[9]), true
	}
	if m[10] != "" {
		parts := strings.FieldsFunc(m[10], func(r rune) bool { return r == '-' || r == '_' || r == '.' })
		for i, p := range parts {
			if isNumber(p) {
				parts[i] = number(p)
			}
		}
		v.local = strings.Join(parts, ".")
	}
	v.text = v.format()
	v.early = v.pre != "" || v.hasDev
	v.setKey()
	return v, nil
}

// plain reads a final release of numbers and dots, as nearly all versions are,
// without the pattern for all others.
func plain(text string) (Version, bool) {
	digits := 0
	for i := range len(text) {
		switch c := text[i]; {
		case c >= '0' && c <= '9':
			digits++
		case c == '.' && digits > 0:
			digits = 0
		default:
			return Version{}, false
		}
	}
	if digits == 0 {
		return Version{}, false
	}
	v := Version{parts: &parts{release: strings.Split(text, "."), epoch: "0"}}
	v.text = text
	for i, part := range v.release {
		if v.release[i] = number(part); len(v.release[i]) < len(part) {
			v.text = ""
		}
	}
	if v.text == "" {
		v.text = v.format()
	}
	v.setKey()
	return v, true
}

// MustParse is [Parse] for text known to be a version; it panics otherwise.
func MustParse(text string) Version {
	v, err := Parse(text)
	if err != nil {
		panic(err)
	}
	return v
}

func preLetter(word string) string {
	switch word {
	case "alpha", "a":
		return "a"
	case "beta", "b":
		return "b"
	}
	return "rc"
}

// number strips leading zeros; an absent number counts as zero.
func number(digits string) string {
	digits = strings.TrimLeft(digits, "0")
	if digits == "" {
		return "0"
	}
	return digits
}

func isNumber(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

func (v Version) format() string {
	var b strings.Builder
	b.WriteString(v.Base())
	if v.pre != "" {
		b.WriteString(v.pre + v.preN)
	}
	if v.hasPost {
		b.WriteString(".post" + v.post)
	}
	if v.hasDev {
		b.WriteString(".dev" + v.dev)
	}
	if v.local != "" {
		b.WriteString("+" + v.local)
	}
	return b.String()
}

// String is the normal form.
func (v Version) String() string { return v.text }

// IsZero tells the zero value, which is no version.
func (v Version) IsZero() bool { return v.text == "" }

// Key is a byte string whose order is the order of versions; equal versions
// have equal keys.
func (v Version) Key() string { return v.key }

// Compare is negative, zero or positive as v is before, equal to or after w.
func (v Version) Compare(w Version) int { return strings.Compare(v.key, w.key) }

// Equal reports whether both are the same version, however written.
func (v Version) Equal(w Version) bool { return v.key == w.key }

// Less reports whether v comes before w.
func (v Version) Less(w Version) bool { return v.key < w.key }

// Public is the normal form without the local part.
func (v Version) Public() string {
	public, _, _ := strings.Cut(v.text, "+")
	return public
}

// Base is the epoch and the release alone.
func (v Version) Base() string {
	if v.parts == nil {
		return ""
	}
	base := strings.Join(v.release, ".")
	if v.epoch != "0" {
		base = v.epoch + "!" + base
	}
	return base
}

// Local is the part after the plus sign, or empty.
func (v Version) Local() string { return v.known().local }

// Epoch is the epoch's decimal digits, "0" where none is written.
func (v Version) Epoch() string { return v.known().epoch }

// Release is the release's numbers as decimal digits, as many as written.
func (v Version) Release() []string { return append([]string(nil), v.known().release...) }

// IsPrerelease reports whether v is a pre-release or a development release.
func (v Version) IsPrerelease() bool { return v.early }

// IsPostrelease reports whether v is a post-release.
func (v Version) IsPostrelease() bool { return v.known().hasPost }

// IsDevrelease reports whether v is a development release.
func (v Version) IsDevrelease() bool { return v.known().hasDev }

// MarshalText writes the normal form.
func (v Version) MarshalText() ([]byte, error) { return []byte(v.text), nil }

// UnmarshalText reads any form that [Parse] reads.
func (v *Version) UnmarshalText(text []byte) error {
	parsed, err := Parse(string(text))
	if err == nil {
		*v = parsed
	}
	return err
}
