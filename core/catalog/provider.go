package catalog

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"glassjar/core/index"
	"glassjar/core/internal/once"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/tags"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Provider answers the solver for one environment.
type Provider struct {
	Catalog     *Catalog
	Environment target.Environment
	// Context ends what [Provider.Expect] asks for ahead.
	Context context.Context
	// Present are versions that the base provides, by name.
	Present map[string]Present
	// Keep are the versions that the solver prefers.
	Keep map[string]version.Version

	// What the catalogue has of a name, judged for the environment; cheaply without asking
	// whether anything may be built.
	judged, cheaply once.Map[string, judgement]
	met             sync.Map // needs that were met by Expect, and files whose needs were

	mu      sync.Mutex
	answers []answer
}

// judgement is the candidates of a name, and the file of each; none for one that does not fit,
// or that the base provides.
type judgement struct {
	candidates []resolve.Candidate
	files      []*index.File
	releases   []Release
	at         map[string]int // by the key of the version
	sorted     *version.Sorted
}

// newest is the first candidate that fits and is in a range, or -1.
func (j judgement) newest(s version.Specifiers) int {
	first := -1
	see := func(i int) {
		if j.candidates[i].Unfit == resolve.Fit && (first < 0 || i < first) {
			first = i
		}
	}
	if slices.ContainsFunc(s, func(one version.Specifier) bool { return one.Operator() == version.Arbitrary }) {
		for i, c := range j.candidates { // it compares texts
			if s.Holds(c.Version) {
				see(i)
			}
		}
		return first
	}
	if j.sorted != nil {
		j.sorted.Each(s.Set(), see)
	}
	return first
}

// Present is a distribution that is there without the jar's doing.
type Present struct {
	Version  version.Version
	Metadata metadata.Metadata
}

// Candidates are the versions of a distribution, the newest first, and why some do not
// fit the environment.
func (p *Provider) Candidates(ctx context.Context, name string) ([]resolve.Candidate, error) {
	j, err := p.judgement(ctx, name)
	return j.candidates, err
}

func (p *Provider) judgement(ctx context.Context, name string) (judgement, error) {
	return p.judged.Do(name, func() (judgement, error) {
		k := newPicker(p.Environment)
		return p.judgeAll(ctx, name, func(ctx context.Context, name string, r Release) (*index.File, resolve.Candidate, error) {
			return p.judge(ctx, name, k, r)
		})
	})
}

// judging picks the file of a release for the environment, or says why there is none.
type judging func(ctx context.Context, name string, r Release) (*index.File, resolve.Candidate, error)

func (p *Provider) judgeAll(ctx context.Context, name string, judge judging) (judgement, error) {
	releases, _, err := p.Catalog.Releases(ctx, name)
	base, provided := p.Present[name]
	if errors.Is(err, index.ErrUnknownName) {
		err = nil
	}
	if err != nil {
		return judgement{}, err
	}
	most := len(releases) + 1
	out := judgement{at: make(map[string]int, most), candidates: make([]resolve.Candidate, 0, most), files: make([]*index.File, 0, most), releases: make([]Release, 0, most)}
	add := func(c resolve.Candidate, f *index.File, r Release) {
		out.at[c.Version.Key()] = len(out.candidates)
		out.candidates, out.files, out.releases = append(out.candidates, c), append(out.files, f), append(out.releases, r)
	}
	if provided {
		add(resolve.Candidate{Version: base.Version}, nil, Release{})
	}
	if p.Catalog.Oldest[name] {
		releases = slices.Clone(releases)
		slices.Reverse(releases)
	}
	finals := false
	for _, r := range releases {
		finals = finals || !r.Version.IsPrerelease()
	}
	for _, r := range releases {
		if provided && r.Version.Equal(base.Version) {
			continue
		}
		if h, held := p.Catalog.HeldBack(name, r.Version); held {
			add(resolve.Candidate{Version: r.Version, Unfit: resolve.Held, Detail: h.String()}, nil, r)
			continue
		}
		f, c, err := judge(ctx, name, r)
		if err != nil {
			return judgement{}, err
		}
		if c.Unfit == resolve.Fit && r.Version.IsPrerelease() && finals {
			c.Unfit = resolve.Prerelease
		}
		add(c, f, r)
	}
	list := make([]version.Version, len(out.candidates))
	for i, c := range out.candidates {
		list[i] = c.Version
	}
	out.sorted = version.NewSorted(list)
	return out, nil
}

// judge is [Judge]; source is chosen where no wheel serves and it may be built.
func (p *Provider) judge(ctx context.Context, name string, k picker, r Release) (*index.File, resolve.Candidate, error) {
	f, c := k.pick(r)
	if f != nil || c.Unfit == resolve.Python || p.Catalog.Sources == nil {
		return f, c, nil
	}
	source := sourceOf(r, p.Environment)
	if source == nil {
		return f, c, nil
	}
	may, err := p.Catalog.Sources.MayBuild(ctx, name)
	if err != nil || !may {
		return f, c, err
	}
	c.Unfit, c.Detail = resolve.Fit, ""
	if source.Yanked {
		c.Unfit, c.Detail = resolve.Yanked, source.YankedReason
	}
	return source, c, nil
}

// ServesPython is a test of what files say of the Pythons that they are for ("Requires-Python"). What
// cannot be understood says nothing. Files of a release mostly say the same, which is read once.
func ServesPython(python version.Version) func(text string) bool {
	said, serves := "", true
	return func(text string) bool {
		if text != said {
			spec, err := version.ParseLegacySpecifiers(text)
			said, serves = text, err != nil || spec.Holds(python)
		}
		return serves
	}
}

// sourceOf is the source of a release, if its Python fits.
func sourceOf(r Release, env target.Environment) *index.File {
	serves := ServesPython(env.Python)
	for i := range r.Files {
		if f := &r.Files[i]; f.IsSource() && serves(f.RequiresPython) {
			return f
		}
	}
	return nil
}

// Judge picks the wheel of a release that serves the environment best, or says
// why there is none.
func Judge(r Release, env target.Environment) (*index.File, resolve.Candidate) {
	return newPicker(env).pick(r)
}

// picker judges releases for one environment. A page has thousands of files whose names have the same
// few sets of tags, kept once: what is found out of one is remembered by where it stands.
type picker struct {
	env    target.Environment
	serves func(requiresPython string) bool
	ranks  map[*tags.Tag]rank
	picked map[int]picked // by which releases are alike
}

// picked is what was found for a release: the place of the file among its files, or -1.
type picked struct {
	file   int
	unfit  int
	detail string
}

// rank is how much a set of tags is preferred; known tells that it is accepted.
type rank struct {
	at    int
	known bool
}

func newPicker(env target.Environment) picker {
	return picker{env, ServesPython(env.Python), map[*tags.Tag]rank{}, map[int]picked{}}
}

func (k picker) rank(of []tags.Tag) (int, bool) {
	if len(of) == 0 {
		return 0, false
	}
	r, ok := k.ranks[&of[0]]
	if !ok {
		r.at, r.known = k.env.Ranks.Best(of)
		k.ranks[&of[0]] = r
	}
	return r.at, r.known
}

// pick is [Judge] of one of several releases.
func (k picker) pick(r Release) (*index.File, resolve.Candidate) {
	found, ok := k.picked[r.alike]
	if !ok {
		if found = k.search(r); r.alike > 0 {
			k.picked[r.alike] = found
		}
	}
	c := resolve.Candidate{Version: r.Version, Unfit: found.unfit, Detail: found.detail}
	if found.file < 0 {
		return nil, c
	}
	return &r.Files[found.file], c
}

// search looks at each file.
func (k picker) search(r Release) picked {
	c := picked{file: -1}
	var best *index.File
	rank := 0
	wheels, sources, wrongPython := 0, 0, ""
	yanked, reason := true, ""
	for i := range r.Files {
		f := &r.Files[i]
		if !f.Yanked {
			yanked = false
		}
		reason = f.YankedReason
		if !k.serves(f.RequiresPython) {
			wrongPython = f.RequiresPython
			continue
		}
		if f.Wheel == nil {
			sources++
			continue
		}
		wheels++
		n, ok := k.rank(f.Wheel.Tags)
		if ok && (best == nil || n < rank || n == rank && best.Wheel.Build.Less(f.Wheel.Build)) {
			best, rank, c.file = f, n, i
		}
	}
	switch {
	case best != nil && yanked:
		c.unfit, c.detail = resolve.Yanked, reason
	case best != nil:
	case wrongPython != "" && wheels+sources == 0:
		c.unfit, c.detail = resolve.Python, wrongPython
	case wheels > 0:
		c.unfit, c.detail = resolve.NoFile, platforms(r.Files)
	case sources > 0:
		c.unfit = resolve.SourceOnly
	default:
		c.unfit = resolve.NoFile
	}
	return c
}

// platforms names what the wheels are for.
func platforms(files []index.File) string {
	seen := map[string]bool{}
	var out []string
	for _, f := range files {
		if f.Wheel == nil {
			continue
		}
		parts := strings.Split(strings.TrimSuffix(f.Name, ".whl"), "-")
		if tag := strings.Join(parts[len(parts)-3:], "-"); !seen[tag] {
			seen[tag] = true
			out = append(out, tag)
		}
	}
	return strings.Join(out, ", ")
}

// File is the one that serves a chosen version; nil if the base provides it.
func (p *Provider) File(ctx context.Context, name string, v version.Version) (*index.File, error) {
	if base, ok := p.Present[name]; ok && base.Version.Equal(v) {
		return nil, nil
	}
	j, err := p.judgement(ctx, name)
	if err != nil {
		return nil, err
	}
	if i, ok := j.at[v.Key()]; ok && j.files[i] != nil {
		return j.files[i], nil
	}
	return nil, fmt.Errorf("no file of %s %s serves %s", name, v, p.Environment.Title)
}

// Needs are what a version, or an extra of it, needs in the environment. What cannot be
// read is a [*resolve.UnreadableError].
func (p *Provider) Needs(ctx context.Context, name, extra string, v version.Version) ([]resolve.Need, error) {
	needs, err := p.needs(ctx, name, extra, v)
	p.note(name, extra, v, needs, err)
	return needs, err
}

func (p *Provider) needs(ctx context.Context, name, extra string, v version.Version) ([]resolve.Need, error) {
	f, err := p.File(ctx, name, v)
	if err != nil {
		return nil, err
	}
	meta := p.Present[name].Metadata
	if f != nil {
		if meta, err = p.Catalog.Metadata(ctx, *f); err != nil {
			if errors.Is(err, metadata.ErrInvalid) {
				return nil, &resolve.UnreadableError{Name: name, Version: v, Err: err}
			}
			return nil, err
		}
	}
	if f != nil && !meta.RequiresPython.Holds(p.Environment.Python) {
		return nil, &resolve.UnreadableError{Name: name, Version: v, Err: fmt.Errorf("it requires Python %s", meta.RequiresPython)}
	}
	applies := func(m requirement.Marker) bool {
		without := m.Holds(p.Environment.Markers)
		return without == (extra == "") && (without || m.Holds(p.Environment.Markers, extra))
	}
	for _, u := range meta.Unread {
		if applies(u.Marker) {
			if f != nil {
				p.Catalog.pass(name, *f, u.Fault().Error())
			}
			return nil, &resolve.UnreadableError{Name: name, Version: v, Err: u.Fault()}
		}
	}
	out := make([]resolve.Need, 0, len(meta.Requires))
	for _, r := range meta.Requires {
		if !applies(r.Marker) {
			continue
		}
		if r.URL != "" {
			if _, ok := p.Catalog.Direct[r.Key()]; !ok {
				return nil, &resolve.UnreadableError{Name: name, Version: v, Err: fmt.Errorf("it needs %s from an address, %s; ask for that yourself", r.Name, r.URL)}
			}
		}
		out = append(out, resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers, URL: r.URL, Here: r.Marker.UsesEnvironment()})
	}
	if len(out) > 0 && (f == nil || !p.saysForAll(ctx, name, *f)) {
		for i := range out {
			out[i].Here = true
		}
	}
	return out, nil
}
