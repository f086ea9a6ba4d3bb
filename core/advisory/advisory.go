// Package advisory reads known faults of distributions from databases in the OSV format (the Open
// Source Vulnerability format, schema 1.x), and tells which versions they are about.
//
// A database is a folder or a zip of JSON files, one for each advisory. Only those about
// distributions of Python's ecosystem are read. Versions are compared as PEP 440 orders them.
package advisory

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"glassjar/core/requirement"
	"glassjar/core/version"
)

// ecosystem is what the format calls that of Python's distributions (OSV schema, "affected[].package
// field").
const ecosystem = "PyPI"

// Advisory is one known fault.
type Advisory struct {
	ID      string   `json:"id"`
	Aliases []string `json:"aliases,omitempty"`
	Summary string   `json:"summary,omitempty"`
	// Severity is a vector, such as CVSS has them, or a word; empty where nothing is said.
	Severity  string    `json:"severity,omitempty"`
	Published time.Time `json:"published"`
	// Link is the first address that tells more.
	Link string `json:"link,omitempty"`
	// Affected are what of each distribution it is about, by normal name.
	Affected map[string][]Range `json:"affected"`
}

// Range is one entry about a distribution.
type Range struct {
	// Versions are named one by one, Events bound stretches.
	Versions []string `json:"versions,omitempty"`
	Events   []Event  `json:"events,omitempty"`
}

// Event is where a stretch of affected versions begins or ends (OSV schema, "affected[].ranges[].events
// fields"): one of its fields is set.
type Event struct {
	Introduced   string `json:"introduced,omitempty"`
	Fixed        string `json:"fixed,omitempty"`
	LastAffected string `json:"last_affected,omitempty"`
	Limit        string `json:"limit,omitempty"`
}

// file is an advisory as its file has it.
type file struct {
	ID        string    `json:"id"`
	Published time.Time `json:"published"`
	Withdrawn time.Time `json:"withdrawn"`
	Aliases   []string  `json:"aliases"`
	Summary   string    `json:"summary"`
	Details   string    `json:"details"`
	Severity  []struct {
		Score string `json:"score"`
	} `json:"severity"`
	Affected []struct {
		Package struct {
			Ecosystem string `json:"ecosystem"`
			Name      string `json:"name"`
		} `json:"package"`
		Ranges []struct {
			Type   string  `json:"type"`
			Events []Event `json:"events"`
		} `json:"ranges"`
		Versions []string `json:"versions"`
	} `json:"affected"`
	References []struct {
		URL string `json:"url"`
	} `json:"references"`
	Specific struct {
		Severity any `json:"severity"`
	} `json:"database_specific"`
}

// Parse reads one advisory. ok is false for one that was withdrawn, or is about other things.
func Parse(data []byte, now time.Time) (a Advisory, ok bool, err error) {
	var f file
	if err := json.Unmarshal(data, &f); err != nil {
		return a, false, err
	}
	if f.ID == "" {
		return a, false, fmt.Errorf("it has no id")
	}
	if !f.Withdrawn.IsZero() && !f.Withdrawn.After(now) {
		return a, false, nil
	}
	a = Advisory{ID: f.ID, Aliases: f.Aliases, Summary: oneLine(cmp.Or(f.Summary, f.Details)), Published: f.Published, Affected: map[string][]Range{}}
	for _, s := range f.Severity {
		a.Severity = cmp.Or(a.Severity, s.Score)
	}
	if word, is := f.Specific.Severity.(string); is && word != "" {
		a.Severity = word
	}
	for _, r := range f.References {
		a.Link = cmp.Or(a.Link, r.URL)
	}
	for _, of := range f.Affected {
		if base, _, _ := strings.Cut(of.Package.Ecosystem, ":"); base != ecosystem {
			continue
		}
		name := requirement.Normalize(of.Package.Name)
		if len(of.Versions) > 0 {
			a.Affected[name] = append(a.Affected[name], Range{Versions: of.Versions})
		}
		for _, r := range of.Ranges {
			if r.Type != "GIT" && len(r.Events) > 0 { // commits are not versions
				a.Affected[name] = append(a.Affected[name], Range{Events: r.Events})
			}
		}
	}
	return a, len(a.Affected) > 0, nil
}

// oneLine is the first line of a text that says something.
func oneLine(text string) string {
	for _, line := range strings.Split(text, "\n") {
		if line = strings.Trim(strings.TrimSpace(line), "# "); line != "" {
			return line
		}
	}
	return ""
}

// Affects reports whether it is about a version of a distribution (OSV schema, "Evaluation"). What
// cannot be compared, since it is no version, bounds nothing.
func (a *Advisory) Affects(name string, v version.Version) bool {
	return slices.ContainsFunc(a.Affected[name], func(r Range) bool { return r.holds(v) })
}

func (r Range) holds(v version.Version) bool {
	for _, text := range r.Versions {
		if one, err := version.Parse(text); err == nil && one.Equal(v) {
			return true
		}
	}
	return beforeLimits(r.Events, v) && within(r.Events, v)
}

// beforeLimits reports whether a version is before a limit, if there is any.
func beforeLimits(events []Event, v version.Version) bool {
	limited := false
	for _, e := range events {
		if e.Limit == "" {
			continue
		}
		limited = true
		if at, err := version.Parse(e.Limit); e.Limit == "*" || err == nil && v.Less(at) {
			return true
		}
	}
	return !limited
}

// bound is an event with its version.
type bound struct {
	at   version.Version
	zero bool // before all versions
	Event
}

func within(events []Event, v version.Version) bool {
	var bounds []bound
	for _, e := range events {
		text := cmp.Or(e.Introduced, e.Fixed, e.LastAffected)
		at, err := version.Parse(text)
		if err == nil || text == "0" {
			bounds = append(bounds, bound{at: at, zero: e.Introduced == "0", Event: e})
		}
	}
	slices.SortStableFunc(bounds, func(a, b bound) int {
		if a.zero || b.zero {
			return cmp.Compare(rank(a.zero), rank(b.zero))
		}
		return a.at.Compare(b.at)
	})
	in := false
	for _, b := range bounds {
		switch {
		case b.Introduced != "" && (b.zero || !v.Less(b.at)):
			in = true
		case b.Fixed != "" && !v.Less(b.at):
			in = false
		case b.LastAffected != "" && b.at.Less(v):
			in = false
		}
	}
	return in
}

// rank puts what comes before all versions first.
func rank(zero bool) int {
	if zero {
		return 0
	}
	return 1
}

// same reports whether two tell of one fault.
func (a Advisory) same(b *Advisory) bool {
	ids := append([]string{a.ID}, a.Aliases...)
	return slices.ContainsFunc(append([]string{b.ID}, b.Aliases...), func(id string) bool { return slices.Contains(ids, id) })
}

// IDs are all identifiers of it, its own first.
func (a Advisory) IDs() []string { return append([]string{a.ID}, a.Aliases...) }
