package digest

import (
	"maps"
	"strings"
)

// Sums are hashes of one file, in lower-case hex. Nearly every file has one, by SHA-256, and a page
// lists tens of thousands of files: so that one takes no map.
type Sums struct {
	SHA256 string
	// others are by algorithm, without SHA-256; nil for none.
	others map[string]string
}

// SumsOf are hashes by their algorithms; names and values become lower case.
func SumsOf(hashes map[string]string) Sums {
	var out Sums
	for algorithm, sum := range hashes {
		out.Add(algorithm, sum)
	}
	return out
}

// Add adds a hash, in place of one by the same algorithm.
func (s *Sums) Add(algorithm, sum string) {
	algorithm, sum = strings.ToLower(algorithm), strings.ToLower(sum)
	if algorithm == SHA256 {
		s.SHA256 = sum
		return
	}
	others := maps.Clone(s.others) // a copy of the set may share them
	if others == nil {
		others = map[string]string{}
	}
	others[algorithm] = sum
	s.others = others
}

// With are these hashes, and one by SHA-256.
func (s Sums) With(sum string) Sums {
	s.SHA256 = sum
	return s
}

// Empty reports whether there is no hash.
func (s Sums) Empty() bool { return s.SHA256 == "" && len(s.others) == 0 }

// ByName are the hashes by their algorithms, a new map; never nil.
func (s Sums) ByName() map[string]string {
	out := make(map[string]string, len(s.others)+1)
	maps.Copy(out, s.others)
	if s.SHA256 != "" {
		out[SHA256] = s.SHA256
	}
	return out
}

// Plausible are the hashes without those by other algorithms than SHA-256 that cannot be such
// hashes; ok is false where that by SHA-256 cannot be one.
func (s Sums) Plausible() (out Sums, ok bool) {
	out.SHA256 = s.SHA256
	for algorithm, sum := range s.others {
		if Fault(map[string]string{algorithm: sum}) == "" {
			out.Add(algorithm, sum)
		}
	}
	return out, s.SHA256 == "" || isSum(s.SHA256, SHA256)
}
