package catalog

import (
	"context"
	"slices"
	"strings"

	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/resolve"
	"glassjar/core/target"
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
		e.look(n, p.judge)
	}
	_ = e.work.Wait() // whoever needs it is told the error
}

// expecting is one walk over what is likely to be needed.
type expecting struct {
	*Provider
	places chan struct{} // one for each thing that is asked for at a time
	work   *guard.Group
}

// one does what asks an index when it is its turn.
func (e *expecting) one(do func() error) error {
	e.places <- struct{}{}
	defer func() { <-e.places }()
	return do()
}

// look finds the file that is likely to meet a need, and goes on with what that needs.
func (e *expecting) look(n resolve.Need, judge judging) {
	e.work.Go(func() error {
		var f *index.File
		err := e.one(func() error {
			candidates, err := e.candidates(e.Context, n.Name, judge)
			f = e.likely(n, candidates, judge)
			return err
		})
		if err != nil || f == nil {
			return err
		}
		return e.follow(n, *f)
	})
}

// follow reads the metadata of a file and looks for what that needs. Nobody has asked for
// those yet, so nobody is asked about them, and no large file is fetched to read them.
func (e *expecting) follow(n resolve.Need, f index.File) error {
	if _, again := e.expected.LoadOrStore(f.Name+" "+strings.Join(n.Extras, ","), true); again {
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
	for _, r := range meta.Requires {
		if r.URL != "" || !slices.ContainsFunc(append([]string{""}, n.Extras...), func(extra string) bool { return r.Marker.Holds(e.Environment.Markers, extra) }) {
			continue
		}
		e.look(resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers}, e.cheap)
	}
	return nil
}

// cheap passes over wheels that would be fetched whole, or nearly so, for what they need.
func (e *expecting) cheap(ctx context.Context, name string, r Release) (*index.File, resolve.Candidate, error) {
	f, c := Judge(r, e.Environment)
	if f != nil && !f.HasMetadata && (f.Size < 0 || f.Size > smallWheel) {
		f = nil
	}
	return f, c, nil
}

// likely is the file of the version that a need would be met by, as far as it
// alone can tell.
func (e *expecting) likely(n resolve.Need, candidates []resolve.Candidate, judge judging) *index.File {
	keep, kept := e.Keep[n.Name]
	kept = kept && n.Specifiers.Holds(keep) && slices.ContainsFunc(candidates, func(c resolve.Candidate) bool { return c.Version.Equal(keep) })
	for _, c := range candidates {
		if kept && c.Version.Equal(keep) || !kept && c.Unfit == resolve.Fit && n.Specifiers.Holds(c.Version) {
			f, _ := e.file(e.Context, n.Name, c.Version, judge) // whoever needs it is told
			return f
		}
	}
	return nil
}

// Ahead asks for the metadata of the wheels of chosen versions that serve any of the
// environments, in one burst, so that solving for these waits for nothing. What fails is told
// to whoever needs it.
func (c *Catalog) Ahead(ctx context.Context, chosen []resolve.Choice, environments []target.Environment) {
	group := guard.New()
	group.SetLimit(askAtOnce)
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
