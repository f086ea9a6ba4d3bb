package operation

import (
	"sort"
	"strings"

	"glassjar/core/project"
	"glassjar/core/requirement"
)

// nearNames are at most three known names that a mistyped one may have meant:
// few letters apart, or the same words in another order.
func nearNames(name string, known []string) []string {
	type hit struct {
		name string
		far  int
	}
	name = requirement.Normalize(name)
	limit := max(1, min(3, len(name)/3))
	var hits []hit
	for _, k := range known {
		far := limit + 1
		if abs(len(k)-len(name)) <= limit {
			far = project.Distance(name, k)
		}
		if far > limit && len(name) > 3 && (strings.HasPrefix(k, name) || sortedWords(k) == sortedWords(name)) {
			far = limit
		}
		if far <= limit {
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
