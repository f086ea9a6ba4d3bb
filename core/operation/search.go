package operation

import (
	"context"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"

	"glassjar/core/catalog"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/near"
	"glassjar/core/requirement"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// SearchOptions say what to look for.
type SearchOptions struct {
	Word string
	// Maturity keeps what its classifiers state to be so: a number from 1 to 7,
	// or a word such as "stable".
	Maturity string
	// Python keeps what has a release for that Python, such as "3.12".
	Python string
	// Limit bounds how many are listed.
	Limit int
}

// Hit is a name that matches.
type Hit struct {
	Name  string
	Index string
	// Version is the newest final one, with Summary and Maturity; they are empty
	// where the index was not asked about the name.
	Version  string
	Summary  string
	Maturity string
	// Near tells that the name only comes near the word.
	Near bool
}

// Found is what a search gave.
type Found struct {
	Word string
	Hits []Hit
	// Names is how many names there are in all, Matches how many match.
	Names   int
	Matches int
	// Looked is how many of the matches were looked at for the filters: on a
	// large index not all are.
	Looked     int
	SampleOnly bool
}

// maxFiltered bounds how many names are asked about for a filter.
const maxFiltered = 200

// Search finds names of the indexes that hold a word, the likeliest first, and
// some that come near it. Without a filter only what is at hand is told of each:
// a search on a large server is one look at the list of its names.
func (m *Machine) Search(ctx context.Context, opt SearchOptions) (*Found, error) {
	spec, err := m.nearestSpec()
	if err != nil {
		return nil, err
	}
	indexes, sampleOnly := m.indexes(spec)
	word := requirement.Normalize(strings.TrimSpace(opt.Word))
	if word == "" || strings.Trim(word, "-") == "" {
		return nil, usage(NoWord, opt.Word)
	}
	if opt.Limit < 1 {
		return nil, usage(BadLimit, strconv.Itoa(opt.Limit))
	}
	keep, err := opt.filter()
	if err != nil {
		return nil, err
	}
	c := m.newCatalog(indexes)
	out := &Found{Word: opt.Word, Hits: []Hit{}, SampleOnly: sampleOnly}
	hits, err := match(ctx, c, word, out)
	if err != nil {
		return nil, err
	}
	out.Matches = len(hits)
	if keep == nil {
		hits = hits[:min(opt.Limit, len(hits))]
		describeHits(ctx, c, hits, false)
		out.Hits = append(out.Hits, hits...)
		return out, nil
	}
	hits = hits[:min(maxFiltered, len(hits))]
	out.Looked = len(hits)
	releases := describeHits(ctx, c, hits, true)
	for i, h := range hits {
		if keep(h, releases[i]) && len(out.Hits) < opt.Limit {
			out.Hits = append(out.Hits, h)
		}
	}
	return out, nil
}

// match ranks the names of all indexes.
func match(ctx context.Context, c *catalog.Catalog, word string, out *Found) ([]Hit, error) {
	type ranked struct {
		Hit
		rank int
	}
	var all []ranked
	seen := map[string]bool{}
	for _, s := range c.Indexes.Sources {
		names, err := s.Names(ctx)
		if err != nil {
			return nil, err
		}
		out.Names += len(names)
		for _, n := range names {
			if rank := rankOf(word, n); rank >= 0 && !seen[n] {
				seen[n] = true
				all = append(all, ranked{Hit{Name: n, Index: s.Name()}, rank})
			}
		}
		for i, n := range near.Names(word, names) {
			if !seen[n] {
				seen[n] = true
				all = append(all, ranked{Hit{Name: n, Index: s.Name(), Near: true}, 1000 + i})
			}
		}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].rank < all[j].rank })
	hits := make([]Hit, len(all))
	for i, r := range all {
		hits[i] = r.Hit
	}
	return hits, nil
}

// rankOf orders names by where the word stands in them: the whole, one of the
// parts, the beginning, anywhere; negative for names without it.
func rankOf(word, name string) int {
	at := strings.Index(name, word)
	if at < 0 {
		return -1
	}
	end := at + len(word)
	starts, ends := at == 0 || name[at-1] == '-', end == len(name) || name[end] == '-'
	rank := 90 + len(name)
	switch {
	case name == word:
		return 0
	case starts && ends && at == 0:
		rank = 1
	case starts && ends:
		rank = 2
	case at == 0:
		rank = 3
	case starts || ends:
		rank = 4
	}
	return rank*100 + min(99, len(name))
}

// describeHits fills in what is known of each hit. Unless all is asked for,
// servers are passed over.
func describeHits(ctx context.Context, c *catalog.Catalog, hits []Hit, all bool) [][]catalog.Release {
	out := make([][]catalog.Release, len(hits))
	var mu sync.Mutex
	group := guard.New()
	group.SetLimit(16)
	for i := range hits {
		if _, far := c.Indexes.Source(hits[i].Index).(*index.Server); far && !all {
			continue
		}
		group.Go(func() error {
			releases, _, err := c.Releases(ctx, hits[i].Name)
			if err != nil {
				return nil // it is listed by its name alone
			}
			f, ok := catalog.NewestWheel(finalFirst(releases))
			mu.Lock()
			out[i] = releases
			mu.Unlock()
			if !ok {
				return nil
			}
			hits[i].Version = f.Version.String()
			if meta, err := c.Metadata(ctx, f); err == nil {
				hits[i].Summary, hits[i].Maturity = meta.Summary, maturity(meta)
			}
			return nil
		})
	}
	_ = group.Wait() // nothing in it fails
	return out
}

// finalFirst puts pre-releases last.
func finalFirst(releases []catalog.Release) []catalog.Release {
	out := slices.Clone(releases)
	slices.SortStableFunc(out, func(a, b catalog.Release) int {
		switch {
		case a.Version.IsPrerelease() == b.Version.IsPrerelease():
			return 0
		case b.Version.IsPrerelease():
			return -1
		}
		return 1
	})
	return out
}

// Maturities are the words of the classifiers, by their number.
var Maturities = []string{"planning", "pre-alpha", "alpha", "beta", "stable", "mature", "inactive"}

// filter is nil where nothing is filtered.
func (o SearchOptions) filter() (func(Hit, []catalog.Release) bool, error) {
	if o.Maturity == "" && o.Python == "" {
		return nil, nil
	}
	number := ""
	if o.Maturity != "" {
		for i, word := range Maturities {
			if n := string(rune('1' + i)); strings.EqualFold(o.Maturity, word) || o.Maturity == n {
				number = n
			}
		}
		if number == "" {
			return nil, usage(NoMaturity, o.Maturity, strings.Join(Maturities, ", "))
		}
	}
	var python version.Version
	accepted := map[tags.Tag]bool{}
	if o.Python != "" {
		major, minor, err := parseMinor(o.Python)
		if err != nil || fmt.Sprintf("%d.%d", major, minor) != o.Python {
			return nil, usage(BadPythonVersion, o.Python)
		}
		python = version.MustParse(o.Python)
		in := tags.Interpreter{Implementation: "cp", Major: major, Minor: minor, ABI: fmt.Sprintf("cp%d%d", major, minor)}
		for _, t := range tags.Supported(in, tags.Platform{OS: "windows", Arch: "amd64"}) {
			accepted[tags.Tag{Interpreter: t.Interpreter, ABI: t.ABI}] = true // whatever the system
		}
	}
	return func(h Hit, releases []catalog.Release) bool {
		if number != "" && !strings.HasPrefix(h.Maturity, number+" ") {
			return false
		}
		return o.Python == "" || slices.ContainsFunc(releases, func(r catalog.Release) bool { return servesPython(r, python, accepted) })
	}, nil
}

// servesPython reports whether a release that is not withdrawn has a file for a
// version of Python, on whatever system.
func servesPython(r catalog.Release, python version.Version, accepted map[tags.Tag]bool) bool {
	serves := catalog.ServesPython(python)
	for _, f := range r.Files {
		if f.Yanked || !serves(f.RequiresPython) {
			continue
		}
		if f.Wheel == nil || slices.ContainsFunc(f.Wheel.Tags, func(t tags.Tag) bool { return accepted[tags.Tag{Interpreter: t.Interpreter, ABI: t.ABI}] }) {
			return true
		}
	}
	return false
}
