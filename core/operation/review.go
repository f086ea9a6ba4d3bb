package operation

import (
	"context"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/licence"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
)

// Review is what a change of a record means, for those who are to agree to it.
type Review struct {
	A, B           string
	ALabel, BLabel string
	// Rows are what was added, moved to another version or other files, and removed, in this
	// order.
	Rows []ReviewRow
	// Asked and NotAsked are requirements that only B, and only A, has.
	Asked, NotAsked []string
	// Licenses are those that nothing in A has, with whose they are.
	Licenses []NewLicense
	// Served are the targets of B.
	Served []string
	// Withdrawn are notes on what B has and its publisher or the index has given up.
	Withdrawn []string
	Same      int
}

// The kinds of rows of a review.
const (
	RowAdded   = "added"
	RowMoved   = "moved"
	RowFiles   = "other files"
	RowRemoved = "removed"
)

// ReviewRow is one distribution of a review.
type ReviewRow struct {
	Kind, Name string
	// From and Version are the versions in A and B.
	From, Version string
	// Targets are those that it is for, empty for all that the record serves.
	Targets []string
	// Asked tells that the spec asks for it, For which others need it.
	Asked bool
	For   []string
	// Bytes are those of one package file, less those of the earlier one; License is as its
	// metadata has it.
	Bytes   int64
	License string
}

// NewLicense is a licence, and the distributions that have it.
type NewLicense struct {
	License string
	Names   []string
}

// Review compares two records (or sealed jars, or revisions) as [Machine.Diff] does, and tells
// what those who agree to a change want to know. What was not read before is asked of the
// indexes.
func (m *Machine) Review(ctx context.Context, ref, a, b string) (*Review, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	if a == "" {
		a = revisionPrefix + "HEAD"
	}
	if b == "" {
		b = at.RecordFile
	}
	x, y, err := m.sides(ctx, a, b)
	if err != nil {
		return nil, err
	}
	if x.record == nil || y.record == nil {
		return nil, usage(ReviewOfJar)
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	r := &reviewing{m: m, catalog: m.newCatalog(indexes), served: servedTargets(y.record)}
	x.apply(y)
	y.apply(x)
	return r.review(ctx, x, y), ctx.Err()
}

// servedTargets are the targets that a record serves, of those that there are.
func servedTargets(r *project.Record) []target.Target {
	all, err := target.All(target.Known(), r.RequiresPython)
	if err != nil {
		return nil
	}
	return slices.DeleteFunc(all, func(t target.Target) bool {
		return plan.Served(r, t.Environment()) != nil
	})
}

// reviewing is a review that is made.
type reviewing struct {
	m       *Machine
	catalog *catalog.Catalog
	served  []target.Target
}

func (r *reviewing) review(ctx context.Context, x, y *side) *Review {
	d := compareSides(x, y)
	out := &Review{A: project.Shorten(r.m.Dir, x.title), B: project.Shorten(r.m.Dir, y.title), ALabel: x.label, BLabel: y.label, Same: d.Same, Rows: []ReviewRow{},
		Asked: append([]string{}, project.Lacking(y.record.Asked, x.record.Asked)...), NotAsked: append([]string{}, project.Lacking(x.record.Asked, y.record.Asked)...), Licenses: []NewLicense{}, Withdrawn: []string{}}
	for _, kind := range []struct {
		name  string
		items []plan.Item
	}{{RowAdded, d.Added}, {RowMoved, d.Changed}, {RowFiles, d.OtherFiles}, {RowRemoved, d.Removed}} {
		for _, i := range kind.items {
			out.Rows = append(out.Rows, r.row(ctx, kind.name, i, x.record, y.record))
		}
	}
	r.licenses(ctx, out, x.record, y.record)
	for _, t := range r.served {
		out.Served = append(out.Served, t.String())
	}
	for _, p := range y.record.Packages {
		if note := standingNote(p.Name, r.catalog.Indexes.Standing(ctx, p.Name)); note != "" {
			out.Withdrawn = append(out.Withdrawn, note)
		}
		if note := r.yanked(ctx, p); note != "" {
			out.Withdrawn = append(out.Withdrawn, note)
		}
	}
	return out
}

func (r *reviewing) row(ctx context.Context, kind string, i plan.Item, a, b *project.Record) ReviewRow {
	name, _, _ := strings.Cut(i.Name, ";")
	row := ReviewRow{Kind: kind, Name: name, From: i.From, Version: i.Version}
	old, now := entry(a, name, i.From), entry(b, name, i.Version)
	if kind == RowFiles {
		row.From = ""
		old = now
	}
	if now == nil {
		return row
	}
	for _, t := range r.served {
		if now.Marker.HoldsIn(t.Environment().Markers, b.Extras, b.Groups) {
			row.Targets = append(row.Targets, t.String())
		}
	}
	if len(row.Targets) == len(r.served) {
		row.Targets = nil
	}
	for _, text := range b.Asked {
		_, text := project.ReadAsks(text)
		row.Asked = row.Asked || nameOfAsked(text) == name
	}
	for _, p := range b.Packages {
		if slices.ContainsFunc(p.Dependencies, func(d project.Dependency) bool { return d.Name == name }) && !slices.Contains(row.For, p.Name) {
			row.For = append(row.For, p.Name)
		}
	}
	row.Bytes = r.size(b, *now)
	if old != nil && kind == RowMoved {
		row.Bytes -= r.size(a, *old)
	}
	if meta, ok := r.m.describedBy(ctx, r.catalog, b, *now); ok {
		row.License = licence.Of(meta).Name()
	}
	return row
}

// entry is that of a name and a version in a record, or nil.
func entry(r *project.Record, name, version string) *project.Package {
	for i, p := range r.Packages {
		if p.Name == name && (version == "" || sameVersion(p.Version.String(), version)) {
			return &r.Packages[i]
		}
	}
	return nil
}

// size is that of the package file which the first target takes that takes one.
func (r *reviewing) size(record *project.Record, p project.Package) int64 {
	for _, t := range r.served {
		if f, err := plan.PickFile(record, p, t.Environment()); err == nil {
			return max(f.Size, 0)
		}
	}
	return 0
}

// licenses finds those that are new.
func (r *reviewing) licenses(ctx context.Context, out *Review, a, b *project.Record) {
	old := map[string]bool{}
	for _, p := range a.Packages {
		if meta, ok := r.m.describedBy(ctx, r.catalog, a, p); ok {
			old[licence.Of(meta).Name()] = true
		}
	}
	names := map[string][]string{}
	for _, row := range out.Rows {
		if row.License != "" && !old[row.License] {
			names[row.License] = append(names[row.License], row.Name)
		}
	}
	for _, license := range sortedNames(names) {
		out.Licenses = append(out.Licenses, NewLicense{license, names[license]})
	}
}

// yanked tells of an entry whose release the index has withdrawn (PEP 592); empty for others.
func (r *reviewing) yanked(ctx context.Context, p project.Package) string {
	releases, _, err := r.catalog.Releases(ctx, p.Name)
	if err != nil {
		return ""
	}
	for _, release := range releases {
		if !release.Version.Equal(p.Version) || len(release.Files) == 0 {
			continue
		}
		why := ""
		for _, f := range release.Files {
			if !f.Yanked {
				return ""
			}
			why = f.YankedReason
		}
		if why != "" {
			why = " (" + why + ")"
		}
		return p.Name + " " + p.Version.String() + " was withdrawn by its publisher" + why
	}
	return ""
}

func nameOfAsked(text string) string {
	r, err := requirement.Parse(text)
	if err != nil {
		text, _, _ = strings.Cut(text, "@")
		return requirement.Normalize(strings.TrimSpace(text)) // of a folder
	}
	return r.Key()
}
