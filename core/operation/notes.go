package operation

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/index"
	"glassjar/core/internal/lazy"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// remark notes on a plan what was solved in a way that whoever asked may not expect.
func (m *Machine) remark(ctx context.Context, p *job, u *plan.Solutions) error {
	p.Left, p.PassedOver = u.LeftOut(), p.catalog.PassedOver()
	p.Unserved = unserved(p)
	judge := &catalog.Provider{Catalog: p.catalog, Environment: target.EnvironmentOf(p.python), Context: ctx}
	for _, c := range u.Own.Choices {
		if newer := m.newerSource(ctx, judge, c.Name, c.Version); newer != "" {
			m.note(NewerSource, c.Name, c.Version.String(), newer)
		}
		if note := standingNote(c.Name, p.catalog.Indexes.Standing(ctx, c.Name)); note != "" && p.catalog.Direct[c.Name].Name == "" {
			p.Notes = append(p.Notes, note)
		}
		for _, over := range p.PassedOver {
			v, err := version.Parse(over.Version)
			if err == nil && over.Name == c.Name && c.Version.Less(v) && (!v.IsPrerelease() || c.Version.IsPrerelease()) {
				p.Notes = append(p.Notes, fmt.Sprintf("%s %s was passed over: %s", over.Name, over.Version, over.Why))
			}
		}
		if len(c.Extras) == 0 {
			continue
		}
		f, err := judge.File(ctx, c.Name, c.Version)
		if err != nil || f == nil {
			continue // it is the base's
		}
		meta, err := p.catalog.Metadata(ctx, *f)
		if err != nil {
			return err
		}
		p.Notes = append(p.Notes, unknownExtras(meta, c.Extras)...)
	}
	return nil
}

// unserved are the targets left out that the record before served, or that there was no record of.
func unserved(p *job) (out []project.LeftOut) {
	var was []string
	if before, err := p.recorded(); err == nil {
		was = leftTargets(before.Left)
	}
	for _, l := range p.Left {
		l.Targets = slices.DeleteFunc(slices.Clone(l.Targets), func(t string) bool { return slices.Contains(was, t) })
		if len(l.Targets) > 0 {
			out = append(out, l)
		}
	}
	return out
}

// newerSource is a version that is newer than one that was chosen, and was not chosen since
// there is only source of it; empty where there is none.
func (m *Machine) newerSource(ctx context.Context, judge *catalog.Provider, name string, have version.Version) string {
	releases, _, err := judge.Catalog.Releases(ctx, name)
	if err != nil {
		return ""
	}
	for _, r := range releases {
		if !have.Less(r.Version) {
			break
		}
		if _, c := catalog.Judge(r, judge.Environment); c.Unfit == resolve.SourceOnly && !r.Version.IsPrerelease() {
			return r.Version.String()
		}
	}
	return ""
}

// standingNote tells of a distribution that its publisher or the index has given up;
// empty for others.
func standingNote(name string, s index.Standing) string {
	words := map[string]string{index.Archived: "is archived: nothing more comes of it", index.Deprecated: "is deprecated: its publisher advises against it",
		index.Quarantined: "is quarantined by its index: it may do harm"}[s.Status]
	if words == "" {
		return ""
	}
	if s.Reason != "" {
		words += " (" + s.Reason + ")"
	}
	return name + " " + words
}

// keptStandings are the notes on distributions of a jar, as far as their pages were read
// before: nobody is asked.
func (m *Machine) keptStandings(ctx context.Context, spec *project.Spec, installed []jar.Installed) []string {
	was := m.Client.Offline
	m.Client.Offline = true
	defer func() { m.Client.Offline = was }()
	indexes, _ := m.indexes(spec)
	var out []string
	for _, d := range installed {
		if note := standingNote(d.Key(), indexes.Standing(ctx, d.Key())); note != "" && d.Direct == nil {
			out = append(out, note)
		}
	}
	return out
}

var extraInMarker = lazy.Pattern(`extra == "([^"]+)"`)

// unknownExtras says which extras a distribution does not have.
func unknownExtras(meta metadata.Metadata, asked []string) []string {
	known := slices.Clone(meta.Extras)
	for _, r := range meta.Requires {
		for _, found := range extraInMarker().FindAllStringSubmatch(r.Marker.String(), -1) {
			known = append(known, requirement.Normalize(found[1]))
		}
	}
	slices.Sort(known)
	known = slices.Compact(known)
	var out []string
	for _, extra := range asked {
		if slices.Contains(known, extra) {
			continue
		}
		text := fmt.Sprintf("%s %s has no extra %q", meta.Name, meta.Version, extra)
		if len(known) > 0 {
			text += "; it has " + strings.Join(known, ", ")
		}
		out = append(out, text)
	}
	return out
}

// noteUnknown tells of the keys of a spec that count for nothing.
func (m *Machine) noteUnknown(spec *project.Spec) {
	for _, u := range spec.Unknown() {
		remark, of := UnknownKey, []string{m.relative(spec.File), strconv.Itoa(u.Line), u.Key}
		if u.Near != "" {
			remark, of = UnknownKeyNear, append(of, u.Near)
		}
		m.note(remark, of...)
	}
}
