package catalog

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// atOnce is how many things are asked for ahead at one time.
const atOnce = 32

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

	expected sync.Map // what has been followed by Expect
}

// Present is a distribution that is there without the jar's doing.
type Present struct {
	Version  version.Version
	Metadata metadata.Metadata
}

// Expect asks for the pages of what is needed, several at a time, for the metadata of the
// version of each that is likely to be chosen, and so on with what that needs: solving then
// waits for as many rounds as the needs are deep, not for as many as they are.
func (p *Provider) Expect(needs []resolve.Need) {
	e := &expecting{Provider: p, places: make(chan struct{}, atOnce)}
	for _, n := range needs {
		e.work.Go(func() { e.direct(n) })
	}
	e.work.Wait()
}

// expecting is one walk over what is likely to be needed. What fails is told to whoever
// needs it.
type expecting struct {
	*Provider
	places chan struct{} // one for each thing that is asked for at a time
	work   sync.WaitGroup
}

// one does what asks an index when it is its turn.
func (e *expecting) one(do func()) {
	e.places <- struct{}{}
	defer func() { <-e.places }()
	do()
}

// direct follows what the solver itself needs: it asks about source too.
func (e *expecting) direct(n resolve.Need) {
	var f *index.File
	e.one(func() {
		if candidates, err := e.Candidates(e.Context, n.Name); err == nil {
			f = e.likely(n, candidates)
		}
	})
	if f != nil {
		e.follow(n, *f)
	}
}

// beyond follows what something that is likely to be chosen needs. Nobody has asked for
// that yet, so nobody is asked about it, and no large file is fetched for it.
func (e *expecting) beyond(n resolve.Need) {
	if _, ok := e.Present[n.Name]; ok {
		return
	}
	var releases []Release
	e.one(func() { releases, _, _ = e.Catalog.Releases(e.Context, n.Name) })
	keep, kept := e.Keep[n.Name]
	kept = kept && n.Specifiers.Holds(keep)
	for _, r := range releases {
		if kept && !r.Version.Equal(keep) || !n.Specifiers.Holds(r.Version) {
			continue
		}
		if f, c := Judge(r, e.Environment); c.Unfit == resolve.Fit && f != nil {
			if f.HasMetadata || f.Size >= 0 && f.Size < 4<<20 {
				e.follow(n, *f)
			}
			return
		}
	}
}

// follow reads the metadata of a file and goes on with what that needs.
func (e *expecting) follow(n resolve.Need, f index.File) {
	if _, again := e.expected.LoadOrStore(f.Name+" "+strings.Join(n.Extras, ","), true); again {
		return
	}
	var meta metadata.Metadata
	var err error
	e.one(func() { meta, err = e.Catalog.Metadata(e.Context, f) })
	if err != nil || f.IsSource() {
		return
	}
	for _, r := range meta.Requires {
		if r.URL != "" || !slices.ContainsFunc(append([]string{""}, n.Extras...), func(extra string) bool { return r.Marker.Holds(e.Environment.Markers, extra) }) {
			continue
		}
		e.work.Go(func() {
			e.beyond(resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers})
		})
	}
}

// Ahead asks for the metadata of the wheels of chosen versions that serve any of the
// environments, in one burst, so that solving for these waits for nothing. What fails is told
// to whoever needs it.
func (c *Catalog) Ahead(ctx context.Context, chosen []resolve.Choice, environments []target.Environment) {
	group := guard.New()
	group.SetLimit(atOnce)
	seen := map[string]bool{}
	for _, one := range chosen {
		releases, _, err := c.Releases(ctx, one.Name)
		if err != nil {
			continue
		}
		i := slices.IndexFunc(releases, func(r Release) bool { return r.Version.Equal(one.Version) })
		if i < 0 {
			continue // the base provides it
		}
		for _, env := range environments {
			f, _ := Judge(releases[i], env)
			if f == nil || seen[f.Name] {
				continue
			}
			seen[f.Name] = true
			group.Go(func() error {
				_, err := c.Metadata(ctx, *f)
				return err
			})
		}
	}
	_ = group.Wait()
}

// likely is the file of the version that a need would be met by, as far as it
// alone can tell.
func (p *Provider) likely(n resolve.Need, candidates []resolve.Candidate) *index.File {
	pick := func(v version.Version) *index.File {
		f, err := p.File(p.Context, n.Name, v)
		if err != nil {
			return nil
		}
		return f
	}
	for _, c := range candidates {
		if keep, ok := p.Keep[n.Name]; ok && c.Version.Equal(keep) && n.Specifiers.Holds(keep) {
			return pick(keep)
		}
	}
	for _, c := range candidates {
		if c.Unfit == resolve.Fit && n.Specifiers.Holds(c.Version) {
			return pick(c.Version)
		}
	}
	return nil
}

// Candidates are the versions of a distribution, the newest first, and why some do not
// fit the environment.
func (p *Provider) Candidates(ctx context.Context, name string) ([]resolve.Candidate, error) {
	releases, _, err := p.Catalog.Releases(ctx, name)
	base, provided := p.Present[name]
	if errors.Is(err, index.ErrUnknownName) {
		err = nil
	}
	if err != nil {
		return nil, err
	}
	var out []resolve.Candidate
	if provided {
		out = append(out, resolve.Candidate{Version: base.Version})
	}
	finals := false
	for _, r := range releases {
		finals = finals || !r.Version.IsPrerelease()
	}
	for _, r := range releases {
		if provided && r.Version.Equal(base.Version) {
			continue
		}
		_, c, err := p.judge(ctx, name, r)
		if err != nil {
			return nil, err
		}
		if c.Unfit == resolve.Fit && r.Version.IsPrerelease() && finals {
			c.Unfit = resolve.Prerelease
		}
		out = append(out, c)
	}
	return out, nil
}

// judge is [Judge]; source is chosen where no wheel serves and it may be built.
func (p *Provider) judge(ctx context.Context, name string, r Release) (*index.File, resolve.Candidate, error) {
	f, c := Judge(r, p.Environment)
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

// sourceOf is the source of a release, if its Python fits.
func sourceOf(r Release, env target.Environment) *index.File {
	for i := range r.Files {
		f := &r.Files[i]
		if !f.IsSource() {
			continue
		}
		if spec, err := version.ParseLegacySpecifiers(f.RequiresPython); err == nil && !spec.Holds(env.Python) {
			continue
		}
		return f
	}
	return nil
}

// Judge picks the wheel of a release that serves the environment best, or says
// why there is none.
func Judge(r Release, env target.Environment) (*index.File, resolve.Candidate) {
	c := resolve.Candidate{Version: r.Version}
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
		if spec, err := version.ParseLegacySpecifiers(f.RequiresPython); err == nil && !spec.Holds(env.Python) {
			wrongPython = f.RequiresPython
			continue
		}
		if f.Wheel == nil {
			sources++
			continue
		}
		wheels++
		n, ok := env.Ranks.Best(f.Wheel.Tags)
		if ok && (best == nil || n < rank || n == rank && best.Wheel.Build.Less(f.Wheel.Build)) {
			best, rank = f, n
		}
	}
	switch {
	case best != nil && yanked:
		c.Unfit, c.Detail = resolve.Yanked, reason
	case best != nil:
	case wrongPython != "" && wheels+sources == 0:
		c.Unfit, c.Detail = resolve.Python, wrongPython
	case wheels > 0:
		c.Unfit, c.Detail = resolve.NoFile, platforms(r.Files)
	case sources > 0:
		c.Unfit = resolve.SourceOnly
	default:
		c.Unfit = resolve.NoFile
	}
	return best, c
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
	releases, _, err := p.Catalog.Releases(ctx, name)
	if err != nil {
		return nil, err
	}
	for _, r := range releases {
		if r.Version.Equal(v) {
			f, _, err := p.judge(ctx, name, r)
			if f != nil || err != nil {
				return f, err
			}
		}
	}
	return nil, fmt.Errorf("no file of %s %s serves %s", name, v, p.Environment.Title)
}

// Needs are what a version, or an extra of it, needs in the environment. What cannot be
// read is a [*resolve.UnreadableError].
func (p *Provider) Needs(ctx context.Context, name, extra string, v version.Version) ([]resolve.Need, error) {
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
	var out []resolve.Need
	for _, r := range meta.Requires {
		if !applies(r.Marker) {
			continue
		}
		if r.URL != "" {
			if _, ok := p.Catalog.Direct[r.Key()]; !ok {
				return nil, &resolve.UnreadableError{Name: name, Version: v, Err: fmt.Errorf("it needs %s from an address, %s; ask for that yourself", r.Name, r.URL)}
			}
		}
		out = append(out, resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers, URL: r.URL})
	}
	return out, nil
}
