// Package near finds the names that a mistyped one may have meant.
package near

import (
	"math/bits"
	"slices"
	"sort"
	"strings"

	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Names are at most three known names that a mistyped one may have meant:
// few letters apart, the same words in another order, or a longer name that
// begins with it. Names of a large index are passed over by their letters
// before they are compared.
func Names(name string, known []string) []string {
	type hit struct {
		name string
		far  int
	}
	name = requirement.Normalize(name)
	limit := max(1, min(3, len(name)/3))
	mine := lettersOf(name)
	var hits []hit
	for _, k := range known {
		if far := farness(name, k, mine, limit); far >= 0 {
			hits = append(hits, hit{k, far})
		}
	}
	sort.Slice(hits, func(i, j int) bool {
		if hits[i].far != hits[j].far {
			return hits[i].far < hits[j].far
		}
		return hits[i].name < hits[j].name
	})
	var out []string
	for _, h := range hits[:min(3, len(hits))] {
		out = append(out, h.name)
	}
	return out
}

// farness orders what is near; it is negative for what is not.
func farness(name, k string, mine uint64, limit int) int {
	theirs := lettersOf(k)
	if abs(len(k)-len(name)) <= limit && bits.OnesCount64(mine^theirs) <= 2*limit {
		if far := distance(name, k, limit); far <= limit {
			return far
		}
	}
	if len(name) <= 3 {
		return -1
	}
	switch {
	case strings.HasPrefix(k, name), len(k) == len(name) && mine == theirs && sortedWords(k) == sortedWords(name):
		return limit + 1
	}
	first, rest, ok := strings.Cut(k, "-")
	if ok && rest != "" && abs(len(first)-len(name)) <= limit && bits.OnesCount64(mine^lettersOf(first)) <= 2*limit && distance(name, first, limit) <= limit {
		return limit + 2
	}
	return -1
}

// distance is [project.Distance] where that is within a limit, else more than it. It is asked for
// hundreds of thousands of names: only what can still be within is worked out, without memory of
// its own.
func distance(a, b string, limit int) int {
	const longest = 64
	if len(b) >= longest {
		return project.Distance(a, b)
	}
	far := limit + 1
	var rows [3][longest]int
	before, last, now := &rows[0], &rows[1], &rows[2]
	for j := range len(b) + 1 {
		before[j], last[j] = far, min(j, far)
	}
	for i := 1; i <= len(a); i++ {
		for j := range len(b) + 1 {
			now[j] = far
		}
		now[0] = min(i, far)
		least := now[0]
		for j := max(1, i-limit); j <= min(len(b), i+limit); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			now[j] = min(last[j]+1, now[j-1]+1, last[j-1]+cost, far)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				now[j] = min(now[j], before[j-2]+1)
			}
			least = min(least, now[j])
		}
		if least >= far && slices.Min(last[:len(b)+1]) >= far {
			return far
		}
		before, last, now = last, now, before
	}
	return last[len(b)]
}

// lettersOf is the set of a name's letters and digits, a bit each.
func lettersOf(name string) uint64 {
	var set uint64
	for i := 0; i < len(name); i++ {
		set |= 1 << (name[i] & 63)
	}
	return set
}

func abs(n int) int {
	if n < 0 {
		return -n
	}
	return n
}

func sortedWords(name string) string {
	words := strings.Split(name, "-")
	sort.Strings(words)
	return strings.Join(words, "-")
}

// First is the nearest of [Names]; empty if none is near.
func First(name string, known []string) string {
	if list := Names(name, known); len(list) > 0 {
		return list[0]
	}
	return ""
}
