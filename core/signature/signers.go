package signature

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"

	"glassjar/core/limits"
)

// Signers are the people whose signatures count: the lines of a file in the form that
// OpenSSH describes in ssh-keygen(1), "ALLOWED SIGNERS".
type Signers struct {
	File string
	list []signer
}

// signer is one line.
type signer struct {
	principals []string
	key        ssh.PublicKey
	// authority tells that the key signs certificates of others.
	authority     bool
	namespaces    []string
	after, before time.Time
}

// LineError says which line of a file of signers cannot be read.
type LineError struct {
	File string
	Line int
	Why  string
}

func (e *LineError) Error() string { return fmt.Sprintf("%s: line %d: %s", e.File, e.Line, e.Why) }

// ReadSigners reads a file of signers. The error is the system's, or a [*LineError].
func ReadSigners(file string) (*Signers, error) {
	text, err := limits.ReadFile(file, limits.Settings)
	if err != nil {
		return nil, err
	}
	return ParseSigners(file, text)
}

// ParseSigners reads the text of a file of signers.
func ParseSigners(file string, text []byte) (*Signers, error) {
	s := &Signers{File: file}
	for n, line := range bytes.Split(text, []byte("\n")) {
		line := strings.TrimSpace(string(line))
		if line == "" || line[0] == '#' {
			continue
		}
		one, err := parseSigner(line)
		if err != nil {
			return nil, &LineError{file, n + 1, err.Error()}
		}
		s.list = append(s.list, one)
	}
	return s, nil
}

// parseSigner reads "principals [options] keytype base64 [comment]".
func parseSigner(line string) (s signer, err error) {
	names, rest := firstField(line)
	if s.principals = strings.Split(strings.Trim(names, `"`), ","); names == "" || slices.Contains(s.principals, "") {
		return s, errors.New("it names nobody")
	}
	key, _, options, _, err := ssh.ParseAuthorizedKey([]byte(rest))
	if err != nil {
		return s, errors.New("it has no key that can be read after the names")
	}
	s.key = key
	for _, option := range options {
		name, value, _ := strings.Cut(option, "=")
		value = strings.Trim(value, `"`)
		switch strings.ToLower(name) {
		case "cert-authority":
			s.authority = true
		case "namespaces":
			s.namespaces = strings.Split(value, ",")
		case "valid-after":
			s.after, err = parseTime(value)
		case "valid-before":
			s.before, err = parseTime(value)
		default:
			err = fmt.Errorf("%q is no option", name) // what it would restrict is not known
		}
		if err != nil {
			return s, err
		}
	}
	return s, nil
}

// firstField is what stands before the first blank that is not quoted.
func firstField(line string) (field, rest string) {
	quoted := false
	for i, r := range line {
		switch {
		case r == '"':
			quoted = !quoted
		case (r == ' ' || r == '\t') && !quoted:
			return line[:i], strings.TrimSpace(line[i:])
		}
	}
	return line, ""
}

// parseTime reads a time as OpenSSH writes it: of this machine's zone, or UTC with a Z.
func parseTime(text string) (time.Time, error) {
	zone := time.Local
	digits, utc := strings.CutSuffix(text, "Z")
	if utc {
		zone = time.UTC
	}
	for _, form := range []string{"20060102", "200601021504", "20060102150405"} {
		if len(form) == len(digits) {
			if t, err := time.ParseInLocation(form, digits, zone); err == nil {
				return t, nil
			}
		}
	}
	return time.Time{}, fmt.Errorf("%q is no time: YYYYMMDD, with HHMM or HHMMSS after it, and Z for UTC", text)
}

// who are the principals that a line gives a key, or why it gives none: empty where the line
// is of another key.
func (s signer) who(key ssh.PublicKey, now time.Time) (principals []string, why string) {
	principals = s.principals
	cert, certified := key.(*ssh.Certificate)
	switch {
	case !s.authority && bytes.Equal(s.key.Marshal(), key.Marshal()):
	case s.authority && certified && bytes.Equal(s.key.Marshal(), cert.SignatureKey.Marshal()):
		var fits []string
		for _, name := range cert.ValidPrincipals {
			if matches(s.principals, name) {
				fits = append(fits, name)
			}
		}
		if len(fits) == 0 {
			return nil, "its certificate is of nobody that the line of the authority names"
		}
		principals = fits
		check := ssh.CertChecker{Clock: func() time.Time { return now }}
		if err := check.CheckCert(fits[0], cert); err != nil {
			return nil, "its certificate does not count: " + strings.TrimPrefix(err.Error(), "ssh: ")
		}
		if cert.CertType != ssh.UserCert {
			return nil, "its certificate is that of a host"
		}
	default:
		return nil, ""
	}
	switch {
	case s.namespaces != nil && !matches(s.namespaces, Namespace):
		return nil, "its line lets it sign other things only"
	case !s.after.IsZero() && now.Before(s.after):
		return nil, "it counts only from " + s.after.Format(time.DateTime)
	case !s.before.IsZero() && now.After(s.before):
		return nil, "it has counted only until " + s.before.Format(time.DateTime)
	}
	return principals, ""
}

// matches reports whether a list of patterns takes a name: one of them does, and none that
// begins with "!". A "*" stands for any characters, a "?" for one.
func matches(patterns []string, name string) bool {
	taken := false
	for _, p := range patterns {
		p, not := strings.CutPrefix(p, "!")
		if ok, err := path.Match(escape(p), escapeSlash(name)); err == nil && ok {
			if not {
				return false
			}
			taken = true
		}
	}
	return taken
}

// escape has path.Match take brackets, backslashes and slashes for what they are.
func escape(pattern string) string {
	return strings.NewReplacer(`\`, `\\`, `[`, `\[`, `/`, "\x00").Replace(pattern)
}

func escapeSlash(name string) string { return strings.ReplaceAll(name, "/", "\x00") }
