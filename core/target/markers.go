package target

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"glassjar/core/requirement"
)

// Marker is a short marker that, among the targets of all, holds for exactly
// those that in tells. Elsewhere it may hold or not: a record says for which
// environments it was made.
func (s *Set) Marker(all []Target, in func(Target) bool) requirement.Marker {
	candidates := []string{}
	whole := true
	for _, t := range all {
		whole = whole && in(t)
	}
	if whole {
		return requirement.Marker{}
	}
	if text, ok := byPython(all, in); ok {
		candidates = append(candidates, text)
	}
	for _, variable := range []string{"sys_platform", "platform_machine", "implementation_name"} {
		candidates = append(candidates, s.byVariable(all, in, variable)...)
	}
	candidates = append(candidates, byPlatform(all, in))
	best := requirement.Marker{}
	for _, text := range candidates {
		m, err := requirement.ParseMarker(text)
		if err != nil || !s.exactly(m, all, in) {
			continue
		}
		if best.IsZero() || len(m.String()) < len(best.String()) {
			best = m
		}
	}
	return best
}

func (s *Set) exactly(m requirement.Marker, all []Target, in func(Target) bool) bool {
	for _, t := range all {
		if m.Holds(s.Environment(t).Markers) != in(t) {
			return false
		}
	}
	return true
}

// byPython is a condition on the version of Python alone.
func byPython(all []Target, in func(Target) bool) (string, bool) {
	var chosen, known []int
	seen := map[int]bool{}
	for _, t := range all {
		n := t.Major*1000 + t.Minor
		if !seen[n] {
			seen[n] = true
			known = append(known, n)
			if in(t) {
				chosen = append(chosen, n)
			}
		}
	}
	sort.Ints(chosen)
	sort.Ints(known)
	if len(chosen) == 0 {
		return "", false
	}
	return ranges(chosen, known), true
}

// ranges writes minor versions as ranges, leaving out bounds beyond which
// nothing is known.
func ranges(chosen, known []int) string {
	at := map[int]int{}
	for i, n := range known {
		at[n] = i
	}
	var parts []string
	for i := 0; i < len(chosen); {
		j := i
		for j+1 < len(chosen) && at[chosen[j+1]] == at[chosen[j]]+1 {
			j++
		}
		lo, hi := chosen[i], chosen[j]
		var both []string
		if i == j && at[lo] > 0 && at[lo] < len(known)-1 {
			both = append(both, fmt.Sprintf("python_version == %q", minorText(lo)))
		} else {
			if at[lo] > 0 {
				both = append(both, fmt.Sprintf("python_version >= %q", minorText(lo)))
			}
			if at[hi] < len(known)-1 {
				both = append(both, fmt.Sprintf("python_version < %q", minorText(known[at[hi]+1])))
			}
		}
		parts = append(parts, strings.Join(both, " and "))
		i = j + 1
	}
	if len(parts) == 1 {
		return parts[0]
	}
	for i, p := range parts {
		if strings.Contains(p, " and ") {
			parts[i] = "(" + p + ")"
		}
	}
	return strings.Join(parts, " or ")
}

func minorText(n int) string { return fmt.Sprintf("%d.%d", n/1000, n%1000) }

// byVariable are conditions that one value of a variable, or its absence, is
// what decides, with a range of Pythons where needed.
func (s *Set) byVariable(all []Target, in func(Target) bool, variable string) []string {
	values := map[string]bool{}
	for _, t := range all {
		values[s.Environment(t).Markers[variable]] = true
	}
	var out []string
	for value := range values {
		for _, op := range []string{"==", "!="} {
			condition := fmt.Sprintf("%s %s %q", variable, op, value)
			m := requirement.MustParseMarker(condition)
			var there, elsewhere []Target
			for _, t := range all {
				if m.Holds(s.Environment(t).Markers) {
					there = append(there, t)
				} else {
					elsewhere = append(elsewhere, t)
				}
			}
			out = append(out, condition)
			if text, ok := byPython(there, in); ok && text != "" {
				if strings.Contains(text, " or ") {
					text = "(" + text + ")"
				}
				out = append(out, condition+" and "+text)
			}
			if text, ok := byPython(elsewhere, in); ok && text != "" {
				out = append(out, condition+" or "+text)
			}
		}
	}
	sort.Strings(out)
	return out
}

// byPlatform spells it out: for each platform its range of Pythons.
func byPlatform(all []Target, in func(Target) bool) string {
	groups := map[string][]Target{}
	var order []string
	for _, t := range all {
		key := t.condition()
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], t)
	}
	sort.Strings(order)
	var parts []string
	for _, key := range order {
		text, ok := byPython(groups[key], in)
		if !ok {
			continue
		}
		part := key
		if strings.Contains(text, " or ") {
			text = "(" + text + ")"
		}
		if text != "" {
			part += " and " + text
		}
		parts = append(parts, "("+part+")")
	}
	return strings.Join(parts, " or ")
}

// Environments are the markers of a record's environments: for each platform
// its closed range of Pythons.
func Environments(all []Target) []requirement.Marker {
	groups := map[string][]int{}
	for _, t := range all {
		groups[t.condition()] = append(groups[t.condition()], t.Major*1000+t.Minor)
	}
	var out []requirement.Marker
	for _, key := range slices.Sorted(maps.Keys(groups)) {
		minors := groups[key]
		sort.Ints(minors)
		for i := 0; i < len(minors); {
			j := i
			for j+1 < len(minors) && minors[j+1] == minors[j]+1 {
				j++
			}
			text := fmt.Sprintf("%s and python_version >= %q and python_version < %q", key, minorText(minors[i]), minorText(minors[j]+1))
			if i == j {
				text = fmt.Sprintf("%s and python_version == %q", key, minorText(minors[i]))
			}
			out = append(out, requirement.MustParseMarker(text))
			i = j + 1
		}
	}
	return out
}
