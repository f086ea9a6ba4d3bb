// Package digest knows the hashes by which package files are verified: those that
// indexes and records give, by the names that Python's hashlib has for them.
package digest

import (
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha3"
	"crypto/sha512"
	"encoding/hex"
	"hash"
	"io"
	"slices"
	"strings"

	"glassjar/core/internal/manysums"
)

// SHA256 is the algorithm by which this program names what it keeps.
const SHA256 = "sha256"

var makers = map[string]func() hash.Hash{
	"md5": md5.New, "sha1": sha1.New, "sha224": sha256.New224, SHA256: manysums.New, "sha384": sha512.New384, "sha512": sha512.New,
	"sha3_224": func() hash.Hash { return sha3.New224() }, "sha3_256": func() hash.Hash { return sha3.New256() },
	"sha3_384": func() hash.Hash { return sha3.New384() }, "sha3_512": func() hash.Hash { return sha3.New512() },
}

// sizes are the algorithms' in bytes.
var sizes = map[string]int{"md5": md5.Size, "sha1": sha1.Size, "sha224": sha256.Size224, SHA256: sha256.Size, "sha384": sha512.Size384, "sha512": sha512.Size,
	"sha3_224": 28, "sha3_256": 32, "sha3_384": 48, "sha3_512": 64}

// weak are algorithms for which other content with the same hash can be made.
var weak = []string{"md5", "sha1"}

// Normal is a set of hashes with names and values in lower case.
func Normal(hashes map[string]string) map[string]string {
	out := make(map[string]string, len(hashes))
	for algorithm, sum := range hashes {
		out[strings.ToLower(algorithm)] = strings.ToLower(sum)
	}
	return out
}

// Strong reports whether one of the hashes is known here and good enough to trust a
// file by.
func Strong(hashes map[string]string) bool {
	for algorithm := range hashes {
		if makers[algorithm] != nil && !slices.Contains(weak, algorithm) {
			return true
		}
	}
	return false
}

// Fault is an algorithm of which a set of hashes has a value that cannot be such a hash,
// or empty. Algorithms that are not known here are passed over.
func Fault(hashes map[string]string) string {
	for _, algorithm := range sorted(hashes) {
		if makers[algorithm] == nil {
			continue
		}
		if !isSum(hashes[algorithm], algorithm) {
			return algorithm
		}
	}
	return ""
}

// isSum reports whether a text can be a hash by an algorithm.
func isSum(text, algorithm string) bool {
	if len(text) != 2*sizes[algorithm] {
		return false
	}
	for i := range len(text) { // a page has tens of thousands of them
		if !hexadecimal[text[i]] {
			return false
		}
	}
	return true
}

var hexadecimal = [256]bool{
	'0': true, '1': true, '2': true, '3': true, '4': true, '5': true, '6': true, '7': true, '8': true, '9': true,
	'a': true, 'b': true, 'c': true, 'd': true, 'e': true, 'f': true, 'A': true, 'B': true, 'C': true, 'D': true, 'E': true, 'F': true,
}

func sorted(hashes map[string]string) []string {
	if len(hashes) == 1 {
		for name := range hashes {
			return []string{name}
		}
	}
	var names []string
	for name := range hashes {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// Label is a short form of a hash, for people: its first ten bytes in hex, in groups of four.
func Label(sum []byte) string {
	text := hex.EncodeToString(sum[:10])
	var groups []string
	for i := 0; i < len(text); i += 4 {
		groups = append(groups, text[i:i+4])
	}
	return strings.Join(groups, "-")
}

// Check verifies a file by several hashes while it is written.
type Check struct {
	want  map[string]string
	names []string
	have  map[string]hash.Hash
	// Size counts the bytes.
	Size int64
}

// NewCheck is a check of the hashes that are known here but for those of the
// algorithms given, which somebody else verifies.
func NewCheck(want map[string]string, but ...string) *Check {
	c := &Check{want: want, have: map[string]hash.Hash{}}
	for _, name := range sorted(want) {
		if makers[name] != nil && !slices.Contains(but, name) {
			c.names, c.have[name] = append(c.names, name), makers[name]()
		}
	}
	return c
}

// Empty reports whether nothing is verified.
func (c *Check) Empty() bool { return len(c.names) == 0 }

// Write takes in bytes of the file; it does not fail.
func (c *Check) Write(p []byte) (int, error) {
	for _, h := range c.have {
		h.Write(p)
	}
	c.Size += int64(len(p))
	return len(p), nil
}

// Wrong is the first hash that differs, by its algorithm; ok if none does.
func (c *Check) Wrong() (algorithm, want, have string, ok bool) {
	for _, name := range c.names {
		if sum := hex.EncodeToString(c.have[name].Sum(nil)); sum != c.want[name] {
			return name, c.want[name], sum, false
		}
	}
	return "", "", "", true
}

// Reader has c see all that is read from r.
func (c *Check) Reader(r io.Reader) io.Reader { return io.TeeReader(r, c) }

// Of is the SHA-256 of bytes, in hexadecimal.
func Of(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}
