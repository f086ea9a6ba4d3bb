package operation

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"glassjar/core/catalog"
	"glassjar/core/graph"
	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/licence"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// About is a distribution as it is here and as the index has it.
type About struct {
	Name string
	// Described is the version that summary to scripts are taken from: the one
	// here, else the newest that fits.
	Described string
	Summary   string
	License   string
	// Maturity is as its classifiers state it, as in "4 - Beta"; empty if they
	// do not.
	Maturity string
	Links    []metadata.Link
	// Needs are its requirements, Extras those that each extra adds.
	Needs  []string
	Extras map[string][]string
	// Imports are the names that one imports, Scripts its commands.
	Imports []string
	Scripts []string
	Python  string
	// Here is what is in the jar, nil if it is not there.
	Here *AboutHere
	// Index is the name of the index that has it, Releases what it offers, the
	// newest first. Both are empty where no index could be asked or has it.
	Index    string
	Releases []AboutRelease
	// Status is what the index says of it as a whole, such as "archived", with the
	// reason; Tracks and Alternates are other indexes that it names.
	Status     string
	Reason     string
	Tracks     []string
	Alternates []string
	// Publishers are who published the version that is described, as the index says;
	// that is not verified.
	Publishers []index.Publisher
	// For says for which Python and system a release fits or not.
	For string
	// Unasked says why the index gave no answer, if it did not.
	Unasked string
}

// AboutHere is a distribution in a jar.
type AboutHere struct {
	Jar     string
	Version string
	Asked   bool
	// NeededBy are those in the jar that need it, with their ranges.
	NeededBy []graph.Need
	// Size is in bytes.
	Size  int64
	Files int
	// From is where it came from: an index's name, or an address.
	From string
	// Warnings are remarks on its wheel.
	Warnings []string
	Base     bool
}

// AboutRelease is one version that the index offers.
type AboutRelease struct {
	Version string
	// Uploaded is a date such as "2025-03-20", empty if the index does not say.
	Uploaded string
	Python   string
	// Size is of the largest file, in bytes, -1 if not known; Files are how many.
	Size  int64
	Files int
	// Fits tells that it could be installed; Unfit says in a word why not:
	// "python", "files", "source", "withdrawn" or "pre-release".
	Fits   bool
	Unfit  string
	Detail string
	Here   bool
}

// About gathers what is known of a distribution. Where there is a jar it is
// looked into; an index that cannot be asked is no error if the distribution is
// here. The error is an [*UnknownNamesError] for a name that is nowhere.
func (m *Machine) About(ctx context.Context, ref, name string) (*About, error) {
	return steady(ctx, m, ref, func() (*About, error) { return m.about(ctx, ref, name) })
}

func (m *Machine) about(ctx context.Context, ref, name string) (*About, error) {
	if !requirement.ValidName(name) {
		return nil, usage(BadDistribution, name)
	}
	key := requirement.Normalize(name)
	out := &About{Name: key, Links: []metadata.Link{}, Needs: []string{}, Extras: map[string][]string{}, Imports: []string{}, Scripts: []string{}, Releases: []AboutRelease{}, Tracks: []string{}, Alternates: []string{}, Publishers: []index.Publisher{}}
	env, indexes, err := m.aboutHere(ctx, ref, key, out)
	if err != nil {
		return nil, err
	}
	c := m.newCatalog(indexes)
	releases, source, err := c.Releases(ctx, key)
	switch {
	case err == nil:
		out.Index = source.Name()
		standing := c.Indexes.Standing(ctx, key)
		out.Status, out.Reason = standing.Status, standing.Reason
		out.Tracks, out.Alternates = append(out.Tracks, standing.Tracks...), append(out.Alternates, standing.Alternates...)
		out.addReleases(c, releases, env)
	case out.Here == nil && errors.Is(err, index.ErrUnknownName):
		_, isSample := indexes.Sources[0].(index.Sample)
		return nil, c.CheckNames(ctx, []string{key}, isSample && len(indexes.Sources) == 1)
	case out.Here == nil:
		return nil, err
	case !errors.Is(err, index.ErrUnknownName):
		out.Unasked = err.Error()
	}
	err = nil // an index that gave no answer was told of
	if out.Here == nil || out.Here.Base {
		err = out.describeFromIndex(ctx, c, releases, env)
	}
	if v, unread := version.Parse(out.Described); unread == nil && out.Index != "" {
		out.Publishers = append(out.Publishers, c.Publishers(ctx, key, v)...)
	}
	return out, err
}

// aboutHere fills in what the jar has, and gives the environment and the
// indexes to ask with: the jar's, or those of a jar that would be made here.
func (m *Machine) aboutHere(ctx context.Context, ref, key string, out *About) (target.Environment, *index.Ordered, error) {
	at, j, installed, err := m.look(ref)
	var none *place.NoJarError
	if errors.As(err, &none) && ref == "" {
		spec, err := m.nearestSpec()
		if err != nil {
			return target.Environment{}, nil, err
		}
		indexes, _ := m.indexes(spec)
		in, _, _, err := m.choosePython(ctx, "", spec)
		if err != nil {
			return target.Environment{}, indexes, nil // no release is said to fit
		}
		out.For = target.EnvironmentOf(in).Title
		return target.EnvironmentOf(in), indexes, nil
	}
	if err != nil {
		return target.Environment{}, nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return target.Environment{}, nil, err
	}
	indexes, _ := m.indexes(spec)
	g := m.graph(ctx, j, installed)
	if n, ok := g.Node(key); ok && n.Base {
		out.Here = &AboutHere{Jar: at.Root, Version: n.Version.String(), NeededBy: []graph.Need{}, Warnings: []string{}, Base: true}
		out.describe(n.Metadata)
	}
	for _, d := range installed {
		if d.Key() == key {
			out.fromInstalled(m, at, j, g, d)
		}
	}
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return target.Environment{}, indexes, nil
	}
	out.For = target.EnvironmentOf(in).Title
	return target.EnvironmentOf(in), indexes, nil
}

func (a *About) fromInstalled(m *Machine, at place.Place, j *jar.Jar, g *graph.Graph, d jar.Installed) {
	h := &AboutHere{Jar: at.Root, Version: d.Version().String(), Asked: g.Asked(d.Key()), NeededBy: []graph.Need{}, Warnings: m.Store.Warnings(j.Trees()[d.Key()])}
	for _, by := range g.NeededBy(d.Key()) {
		for _, n := range g.Needs(by) {
			if n.To == d.Key() {
				h.NeededBy = append(h.NeededBy, n)
			}
		}
	}
	files, _ := j.Files(d) // a RECORD that is gone lists nothing
	for _, f := range files {
		h.Files++
		h.Size += max(f.Size, 0)
	}
	if record, err := project.ReadRecord(at.RecordFile); err == nil {
		for _, p := range record.Packages {
			if p.Name == d.Key() {
				h.From = p.Index
			}
		}
	}
	if d.Direct != nil {
		h.From = d.Direct.URL
	}
	a.Here = h
	a.describe(d.Metadata)
	a.Imports = append(a.Imports, j.Imports(d)...)
	a.Scripts = append(a.Scripts, j.Scripts(d)...)
}

// describe takes what core metadata says.
func (a *About) describe(meta metadata.Metadata) {
	a.Described, a.Summary, a.License, a.Python = meta.Version.String(), meta.Summary, licence.Of(meta).Name(), meta.RequiresPython.Written()
	a.Maturity = maturity(meta)
	a.Links = append(a.Links, meta.Links...)
	for _, e := range meta.Extras {
		a.Extras[e] = []string{}
	}
	for _, r := range meta.Requires {
		extras := r.Marker.Extras()
		if len(extras) == 0 {
			a.Needs = append(a.Needs, r.String())
		}
		for _, e := range extras {
			a.Extras[e] = append(a.Extras[e], r.String())
		}
	}
}

// maturity is what the classifiers state, as in "4 - Beta".
func maturity(meta metadata.Metadata) string {
	for _, c := range meta.Classifiers {
		if text, ok := strings.CutPrefix(c, "Development Status :: "); ok {
			return text
		}
	}
	return ""
}

var unfitWords = map[int]string{resolve.Python: plan.HeldByPython, resolve.NoFile: plan.HeldByFiles, resolve.SourceOnly: plan.HeldBySource, resolve.Yanked: plan.HeldByYank}

func (a *About) addReleases(from *catalog.Catalog, releases []catalog.Release, env target.Environment) {
	for _, r := range releases {
		one := AboutRelease{Version: r.Version.String(), Size: -1, Files: len(r.Files), Here: a.Here != nil && a.Here.Version == r.Version.String()}
		for _, f := range r.Files {
			one.Size = max(one.Size, f.Size)
			if one.Python == "" {
				one.Python = f.RequiresPython
			}
			if one.Uploaded == "" && !f.Uploaded.IsZero() {
				one.Uploaded = f.Uploaded.UTC().Format(time.DateOnly)
			}
		}
		if env.Title != "" {
			_, c := catalog.Judge(r, env)
			one.Fits, one.Unfit, one.Detail = c.Unfit == resolve.Fit, unfitWords[c.Unfit], c.Detail
			if h, held := from.HeldBack(a.Name, r.Version); held {
				one.Fits, one.Unfit, one.Detail = false, plan.HeldByHold, h.String()
			}
			if one.Fits && r.Version.IsPrerelease() {
				one.Unfit = "pre-release"
			}
		}
		a.Releases = append(a.Releases, one)
	}
}

// describeFromIndex takes the description of the newest release that fits, or
// else of the newest that has a wheel.
func (a *About) describeFromIndex(ctx context.Context, c *catalog.Catalog, releases []catalog.Release, env target.Environment) error {
	var chosen *index.File
	for _, r := range releases {
		if _, held := c.HeldBack(a.Name, r.Version); held {
			continue
		}
		if f, found := catalog.Judge(r, env); env.Title != "" && found.Unfit == resolve.Fit && !r.Version.IsPrerelease() {
			chosen = f
			break
		}
	}
	if chosen == nil {
		if f, ok := catalog.NewestWheel(releases); ok {
			chosen = &f
		}
	}
	if chosen == nil || a.Here != nil {
		return nil
	}
	meta, err := c.Metadata(ctx, *chosen)
	if err != nil {
		return err
	}
	a.describe(meta)
	if in, err := c.Inside(ctx, *chosen); err == nil {
		a.Imports, a.Scripts = append(a.Imports, in.Imports...), append(a.Scripts, in.Scripts...)
	}
	slices.Sort(a.Imports)
	return nil
}
