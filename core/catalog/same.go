package catalog

import (
	"context"
	"errors"
	"slices"

	"glassjar/core/index"
	"glassjar/core/resolve"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// answer is what a provider said of the needs of one version, or of one extra of it.
type answer struct {
	name, extra string
	version     version.Version
	needs       []resolve.Need
	unreadable  bool
}

// note remembers an answer for [Provider.AnswersLike].
func (p *Provider) note(name, extra string, v version.Version, needs []resolve.Need, err error) {
	var unreadable *resolve.UnreadableError
	p.mu.Lock()
	defer p.mu.Unlock()
	p.answers = append(p.answers, answer{name, extra, v, needs, errors.As(err, &unreadable)})
}

// AnswersLike reports whether this provider would have answered all that the solver asked of
// another as that one did: then no marker, tag or Requires-Python that was met tells their
// environments apart, and what was found for one is found for both. Nothing is fetched for
// that; where it would be needed the answer is no.
func (p *Provider) AnswersLike(ctx context.Context, asked resolve.Provider) bool {
	other, ok := asked.(*Provider)
	if !ok || p == other {
		return ok
	}
	other.mu.Lock()
	answers := slices.Clone(other.answers)
	other.mu.Unlock()
	same := map[string]bool{}
	for _, a := range answers {
		fits, seen := same[a.name]
		if !seen {
			fits = p.judgesLike(ctx, other, a.name)
			same[a.name] = fits
		}
		if !fits || !p.needsLike(ctx, other, a) {
			return false
		}
	}
	for _, name := range other.judged.Keys() {
		if _, seen := same[name]; !seen && !p.judgesLike(ctx, other, name) {
			return false
		}
	}
	return true
}

// judgesLike reports whether the same versions of a distribution may be chosen.
func (p *Provider) judgesLike(ctx context.Context, other *Provider, name string) bool {
	mine, err := p.judgement(ctx, name)
	theirs, otherErr := other.judgement(ctx, name)
	return err == nil && otherErr == nil && slices.EqualFunc(mine.candidates, theirs.candidates, func(a, b resolve.Candidate) bool {
		return a.Unfit == b.Unfit && a.Version.Key() == b.Version.Key()
	})
}

// needsLike reports whether a version needs the same in both environments.
func (p *Provider) needsLike(ctx context.Context, other *Provider, a answer) bool {
	mine, err := p.File(ctx, a.name, a.version)
	theirs, otherErr := other.File(ctx, a.name, a.version)
	if err != nil || otherErr != nil || (mine == nil) != (theirs == nil) || mine != nil && !p.Catalog.saysTheSame(*mine, *theirs) {
		return false
	}
	needs, err := p.needs(ctx, a.name, a.extra, a.version)
	var unreadable *resolve.UnreadableError
	if err != nil && !errors.As(err, &unreadable) {
		return false
	}
	return (err != nil) == a.unreadable && slices.EqualFunc(needs, a.needs, func(x, y resolve.Need) bool {
		return x.Name == y.Name && x.URL == y.URL && slices.Equal(x.Extras, y.Extras) && x.Specifiers.Written() == y.Specifiers.Written()
	})
}

// saysTheSame reports whether two files are known to have the same metadata.
func (c *Catalog) saysTheSame(a, b index.File) bool {
	a, b = c.standsFor(a), c.standsFor(b)
	sum := a.MetadataHashes.SHA256
	return a.Name == b.Name || sum != "" && sum == b.MetadataHashes.SHA256
}

// saysForAll reports whether a version needs what this file of it says in every environment of a
// Python 3: all its wheels are known to say the same, and none falls back on its source.
func (p *Provider) saysForAll(ctx context.Context, name string, f index.File) bool {
	j, err := p.judgement(ctx, name)
	if err != nil {
		return false
	}
	i, ok := j.at[f.Version.Key()]
	if !ok {
		return false
	}
	var source, pure *index.File
	for n := range j.releases[i].Files {
		other := &j.releases[i].Files[n]
		switch {
		case other.IsSource():
			source = other
		case other.Name != f.Name && (f.MetadataHashes.SHA256 == "" || f.MetadataHashes.SHA256 != other.MetadataHashes.SHA256):
			return false
		case slices.Contains(other.Wheel.Tags, tags.Tag{Interpreter: "py3", ABI: "none", Platform: "any"}):
			pure = other
		}
	}
	return source == nil || pure != nil && pure.RequiresPython == source.RequiresPython
}
