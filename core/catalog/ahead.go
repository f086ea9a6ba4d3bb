package catalog

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"sync/atomic"

	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

const (
	// askAtOnce is how many pages and descriptions are asked for ahead at one time.
	askAtOnce = 32
	// smallWheel is how large a wheel may be, in bytes, that has to be opened to read what it
	// needs, where nobody has asked for that yet.
	smallWheel = 4 << 20
)

// Expect asks for the pages of what is needed, several at a time, for the metadata of the
// version of each that is likely to be chosen, and so on with what that needs: solving then
// waits for as many rounds as the needs are deep, not for as many as they are.
func (p *Provider) Expect(needs []resolve.Need) {
	e := &expecting{Provider: p, places: make(chan struct{}, askAtOnce), work: guard.New()}
	for _, n := range needs {
		e.look(n, false)
	}
	_ = e.work.Wait() // whoever needs it is told the error
}

// ExpectVersions asks for the metadata of versions of one distribution, and for what those
// are likely to need.
func (p *Provider) ExpectVersions(name string, versions []version.Version) (end func()) {
	e := &expecting{Provider: p, places: make(chan struct{}, askAtOnce), work: guard.New()}
	for _, v := range versions {
		e.work.Go(func() error {
			f, err := p.File(p.Context, name, v)
			if err != nil || f == nil || f.IsSource() || !cheap(f) {
				return err
			}
			return e.follow(resolve.Need{Name: name}, *f)
		})
	}
	return func() {
		e.ended.Store(true)
		_ = e.work.Wait() // whoever needs it is told the error
	}
}

// Foresee asks, in one burst, for the pages of what solving is likely to come to: what leads on
// from the needs by the last answers that are kept here, and what is preferred. Nothing is
// decided by that.
func (p *Provider) Foresee(needs []resolve.Need) {
	names, followed := map[string]bool{}, map[string]bool{}
	for name := range p.Keep {
		names[name] = true
	}
	for queue := slices.Clone(needs); len(queue) > 0; queue = queue[1:] {
		n := queue[0]
		if _, provided := p.Present[n.Name]; provided || followed[n.String()] {
			continue
		}
		followed[n.String()], names[n.Name] = true, true
		queue = append(queue, p.lastNeeds(n)...)
	}
	for name := range p.Present {
		delete(names, name)
	}
	p.Catalog.expect(p.Context, slices.Collect(maps.Keys(names)))
}

// lastNeeds are those of the version that a need would be met by, as far as it can be told
// without asking anybody.
func (p *Provider) lastNeeds(n resolve.Need) (out []resolve.Need) {
	for _, r := range ByVersion(p.Catalog.Indexes.Kept(p.Context, n.Name)) {
		keep, kept := p.Keep[n.Name]
		if kept = kept && n.Specifiers.Holds(keep); kept && !r.Version.Equal(keep) || !n.Specifiers.Holds(r.Version) {
			continue
		}
		f, c := Judge(r, p.Environment)
		if f == nil || c.Unfit != resolve.Fit {
			continue
		}
		if !p.Catalog.hasMetadata(*f) {
			return nil
		}
		meta, err := p.Catalog.Metadata(p.Context, *f)
		if err != nil {
			return nil // whoever needs it is told
		}
		return p.holding(meta, n.Extras)
	}
	return nil
}

// holding are the needs of a distribution with some extras, except those on addresses.
func (p *Provider) holding(meta metadata.Metadata, extras []string) (out []resolve.Need) {
	for _, r := range meta.Requires {
		if r.URL == "" && slices.ContainsFunc(append([]string{""}, extras...), func(extra string) bool { return r.Marker.Holds(p.Environment.Markers, extra) }) {
			out = append(out, resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers})
		}
	}
	return out
}

// expecting is one walk over what is likely to be needed.
type expecting struct {
	*Provider
	places chan struct{} // one for each thing that is asked for at a time
	work   *guard.Group
	ended  atomic.Bool
}

// errEnded keeps what would follow from being looked at.
var errEnded = errors.New("nothing more is asked for ahead")

// one does what asks an index when it is its turn.
func (e *expecting) one(do func() error) error {
	e.places <- struct{}{}
	defer func() { <-e.places }()
	if e.ended.Load() {
		return errEnded
	}
	return do()
}

// look finds the file that is likely to meet a need, and goes on with what that needs. What
// is guessed at has not been asked for: nobody is asked whether it may be built, and no large
// file is fetched to read it.
func (e *expecting) look(n resolve.Need, guessed bool) {
	if _, again := e.met.LoadOrStore(n.String(), true); again {
		return
	}
	e.work.Go(func() error {
		var f *index.File
		err := e.one(func() (err error) {
			f, err = e.likely(n, guessed)
			return err
		})
		if err != nil || f == nil {
			return err
		}
		return e.follow(n, *f)
	})
}

// follow reads the metadata of a file and looks for what that needs.
func (e *expecting) follow(n resolve.Need, f index.File) error {
	if _, again := e.met.LoadOrStore(f.Name+" "+strings.Join(n.Extras, ","), true); again {
		return nil
	}
	var meta metadata.Metadata
	err := e.one(func() (err error) {
		meta, err = e.Catalog.Metadata(e.Context, f)
		return err
	})
	if err != nil || f.IsSource() {
		return err
	}
	for _, need := range e.holding(meta, n.Extras) {
		e.look(need, true)
	}
	return nil
}

// cheap reports whether little is fetched to read what a wheel needs.
func cheap(f *index.File) bool {
	return f.HasMetadata || f.Size >= 0 && f.Size <= smallWheel
}

// guess is the judgement of a name, without asking anybody where it is guessed at.
func (e *expecting) guess(name string, guessed bool) (judgement, error) {
	if !guessed {
		return e.judgement(e.Context, name)
	}
	return e.cheaply.Do(name, func() (judgement, error) {
		k := newPicker(e.Environment)
		return e.judgeAll(e.Context, name, func(_ context.Context, _ string, r Release) (*index.File, resolve.Candidate, error) {
			f, c := k.pick(r)
			return f, c, nil
		})
	})
}

// likely is the file of the version that a need would be met by, as far as it
// alone can tell.
func (e *expecting) likely(n resolve.Need, guessed bool) (*index.File, error) {
	j, err := e.guess(n.Name, guessed)
	if err != nil {
		return nil, err
	}
	keep, kept := e.Keep[n.Name]
	if kept = kept && n.Specifiers.Holds(keep); kept {
		_, kept = j.at[keep.Key()]
	}
	i := j.newest(n.Specifiers)
	if kept {
		i = j.at[keep.Key()]
	}
	if i < 0 {
		return nil, nil
	}
	if f := j.files[i]; f == nil || !guessed || cheap(f) {
		return f, nil
	}
	return nil, nil
}

// Ahead asks for the metadata of the wheels of chosen versions that serve any of the
// environments, in one burst, so that solving for these waits for nothing. What fails is told
// to whoever needs it. Where that would be more than a burst of questions, wheels are assumed to
// say what the first of their release did.
func (c *Catalog) Ahead(ctx context.Context, chosen []resolve.Choice, environments []target.Environment) {
	var files []index.File
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
			if f, _ := Judge(releases[i], env); f != nil && !seen[f.Name] {
				seen[f.Name] = true
				files = append(files, *f)
			}
		}
	}
	c.assume(files)
	group := guard.New()
	group.SetLimit(askAtOnce)
	for _, f := range files {
		group.Go(func() error {
			_, err := c.Metadata(ctx, f)
			return err
		})
	}
	_ = group.Wait()
}
