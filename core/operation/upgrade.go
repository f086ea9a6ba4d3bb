package operation

import (
	"context"
	"errors"
	"fmt"

	"glassjar/core/catalog"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Behind is a distribution of which there is a newer version than the jar's.
type Behind struct {
	Name string `json:"name"`
	// Version is the one here, Fits the newest that fits the spec and the other
	// packages, Newest the newest final one of all.
	Version string `json:"version"`
	Fits    string `json:"fits"`
	Newest  string `json:"newest"`
	Asked   bool   `json:"asked"`
	// Held says what keeps it from the newest; empty where nothing does.
	Held []Hold `json:"held_back_by"`
}

// Hold is one thing that keeps a distribution back.
type Hold struct {
	// By is "spec", a distribution's name, or one of the constants.
	By string `json:"by"`
	// Range is what that admits; Detail says more.
	Range  string `json:"range,omitempty"`
	Detail string `json:"detail,omitempty"`
}

// What else keeps a distribution back: the jar's Python, that there is no file
// for this system, that the newest is a source distribution, was withdrawn, has a
// description that cannot be read, cannot stand together with the rest, or that the jar was not upgraded yet.
const (
	HeldBySpec     = "spec"
	HeldByPython   = "python"
	HeldByFiles    = "files"
	HeldBySource   = "source"
	HeldByYank     = "withdrawn"
	HeldByTogether = "the others together"
	HeldByUnread   = "description"
)

// Outdated is what there is newer of a jar's contents.
type Outdated struct {
	Jar    string   `json:"jar"`
	Behind []Behind `json:"behind"`
	// Looked is how many packages were compared.
	Looked     int  `json:"looked_at"`
	SampleOnly bool `json:"sample_only"`
	// Notes tell of packages that their publishers or the index have given up.
	Notes []string `json:"notes"`
}

// Outdated looks for newer versions of what is in a jar. Nothing is changed.
func (m *Machine) Outdated(ctx context.Context, ref string) (*Outdated, error) {
	return steady(ctx, m, ref, func() (*Outdated, error) { return m.outdated(ctx, ref) })
}

func (m *Machine) outdated(ctx context.Context, ref string) (*Outdated, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	p, err := m.planUpgrade(ctx, at, spec, resolveOptions{free: namesOf(installed)})
	if err != nil {
		return nil, err
	}
	out := &Outdated{Jar: at.Root, Looked: len(installed), SampleOnly: p.SampleOnly, Notes: []string{}}
	for _, d := range installed {
		if note := standingNote(d.Key(), p.catalog.Indexes.Standing(ctx, d.Key())); note != "" && d.Direct == nil {
			out.Notes = append(out.Notes, note)
		}
	}
	out.Behind, err = m.behind(ctx, p, installed)
	return out, err
}

func namesOf(installed []jar.Installed) map[string]bool {
	out := map[string]bool{}
	for _, d := range installed {
		out[d.Key()] = true
	}
	return out
}

// Upgrade moves distributions of a jar, or all, to the newest versions that fit
// the spec, and writes down what came of it.
func (m *Machine) Upgrade(ctx context.Context, ref string, names []string, pre bool, decide Decide) (*Outcome, error) {
	at, spec, _, installed, release, err := m.beginFilled(ctx, ref)
	if err != nil {
		return nil, err
	}
	defer release()
	free := namesOf(installed)
	if len(names) > 0 {
		if free, err = namedIn(names, free); err != nil {
			return nil, err
		}
	}
	p, err := m.planUpgrade(ctx, at, spec, resolveOptions{pre: pre, free: free, named: free})
	if err != nil {
		return nil, err
	}
	var watched []jar.Installed
	for _, d := range installed {
		if free[d.Key()] {
			watched = append(watched, d)
		}
	}
	all, err := m.behind(ctx, p, watched)
	for _, b := range all {
		if b.Fits != b.Newest {
			p.Behind = append(p.Behind, b)
		}
	}
	if err != nil {
		return nil, err
	}
	return m.carryOut(ctx, p, decide)
}

// planUpgrade plans to move to the newest versions. One thing that was asked for
// is not moved back so that another can go forward, unless there is no other way.
func (m *Machine) planUpgrade(ctx context.Context, at place.Place, spec *project.Spec, opt resolveOptions) (*Plan, error) {
	base, err := m.specToChange(ctx, at, spec)
	if err != nil {
		return nil, err
	}
	first, err := m.planTo(ctx, at, spec, base, opt)
	if err != nil {
		return nil, err
	}
	p := first
	opt.floor = map[string]version.Version{}
	for {
		news := false
		for _, c := range p.Change {
			here, there := version.MustParse(c.From), version.MustParse(c.Version)
			if _, known := opt.floor[c.Name]; c.Asked && !known && there.Less(here) {
				opt.floor[c.Name], news = here, true
			}
		}
		if !news {
			return p, nil
		}
		if p, err = m.planTo(ctx, at, spec, base, opt); err != nil {
			var failure *SolveError
			if errors.As(err, &failure) {
				return first, nil
			}
			return nil, err
		}
	}
}

// namedIn checks that all names are in the jar.
func namedIn(names []string, there map[string]bool) (map[string]bool, error) {
	out := map[string]bool{}
	missing := &NotInstalledError{Near: map[string][]string{}}
	for _, n := range names {
		key := requirement.Normalize(n)
		switch {
		case !requirement.ValidName(n):
			return nil, badName(n)
		case !there[key]:
			missing.Names = append(missing.Names, key)
			missing.Near[key] = near.Names(key, sortedNames(there))
		}
		out[key] = true
	}
	if len(missing.Names) > 0 {
		return nil, missing
	}
	return out, nil
}

// behind compares what is installed with the versions that a plan, solved
// without a preference, chose, and with the newest of all.
func (m *Machine) behind(ctx context.Context, p *Plan, installed []jar.Installed) ([]Behind, error) {
	out := []Behind{}
	for _, d := range installed {
		if d.Direct != nil {
			continue // there is one file, and it is here
		}
		releases, _, err := p.catalog.Releases(ctx, d.Key())
		if err != nil {
			continue // nothing newer is known of what no index has
		}
		newest, ok := newestFinal(releases, d.Version())
		if !ok {
			continue
		}
		b := Behind{Name: d.Key(), Version: d.Version().String(), Fits: d.Version().String(), Newest: newest.Version.String(), Asked: d.Requested, Held: []Hold{}}
		if v, ok := p.versions[d.Key()]; ok {
			b.Fits = v.String()
		}
		if b.Fits == b.Version && b.Newest == b.Version {
			continue
		}
		if b.Fits != b.Newest {
			if b.Held, err = m.heldBack(ctx, p, d.Key(), newest); err != nil {
				return nil, err
			}
		}
		out = append(out, b)
	}
	return out, nil
}

// newestFinal is the newest release that is not a pre-release, or the newest of
// all for whoever has a pre-release; none where nothing is newer.
func newestFinal(releases []catalog.Release, here version.Version) (catalog.Release, bool) {
	for _, r := range releases {
		if !r.Version.IsPrerelease() || here.IsPrerelease() {
			return r, here.Less(r.Version) && !r.Version.Equal(here)
		}
	}
	return catalog.Release{}, false
}

// heldBack says why the newest release of a name was not chosen.
func (m *Machine) heldBack(ctx context.Context, p *Plan, name string, newest catalog.Release) ([]Hold, error) {
	holds := []Hold{}
	judge := &catalog.Provider{Catalog: p.catalog, Environment: target.EnvironmentOf(p.python), Context: ctx}
	if _, c := catalog.Judge(newest, judge.Environment); c.Unfit != resolve.Fit {
		by := map[int]string{resolve.Python: HeldByPython, resolve.NoFile: HeldByFiles, resolve.SourceOnly: HeldBySource, resolve.Yanked: HeldByYank}[c.Unfit]
		return append(holds, Hold{By: by, Detail: c.Detail}), nil
	}
	var unread *resolve.UnreadableError
	if _, err := judge.Needs(ctx, name, "", newest.Version); errors.As(err, &unread) {
		return append(holds, Hold{By: HeldByUnread, Detail: unread.Err.Error()}), nil
	}
	for _, a := range p.roots {
		if a.Key() == name && a.Marker.Holds(judge.Environment.Markers) && !a.Specifiers.Admits(newest.Version) {
			holds = append(holds, Hold{By: HeldBySpec, Range: a.Specifiers.Written(), Detail: m.origin(a)})
		}
	}
	for _, other := range sortedNames(p.versions) {
		needs, err := judge.Needs(ctx, other, "", p.versions[other])
		if err != nil {
			continue // what was provided by the base has no file to read
		}
		for _, n := range needs {
			if n.Name == name && !n.Specifiers.Admits(newest.Version) {
				holds = append(holds, Hold{By: other, Range: n.Specifiers.Written(), Detail: p.versions[other].String()})
			}
		}
	}
	if len(holds) > 0 {
		return holds, nil
	}
	return m.heldTogether(ctx, p, judge.Environment, name, newest.Version)
}

// heldTogether asks the solver what stands against a version that no single
// need excludes.
func (m *Machine) heldTogether(ctx context.Context, p *Plan, env target.Environment, name string, v version.Version) ([]Hold, error) {
	pin := resolve.Need{Name: name, Specifiers: version.MustParseSpecifiers("==" + v.String()), Origin: "the newest version"}
	problem := resolve.Problem{Roots: []resolve.Need{pin}}
	selected, _, err := m.solve(ctx, p.catalog, env, p.roots, problem, nil)
	var failure *SolveError
	if errors.As(err, &failure) {
		var against []string
		for _, f := range failure.Facts {
			if f.Name != "" && f.Unfit == resolve.Fit && f.Needs[0].Name != "" {
				against = append(against, fmt.Sprintf("%s needs %s", f.Name, f.Needs[0]))
			}
		}
		return []Hold{{By: HeldByTogether, Detail: joinSome(against)}}, nil
	}
	if err != nil {
		return nil, err
	}
	var against []string
	for _, s := range selected {
		if have, ok := p.versions[s.name]; ok && s.name != name && s.version.Less(have) {
			against = append(against, fmt.Sprintf("it would take %s back from %s to %s", s.name, have, s.version))
		}
	}
	if len(against) == 0 {
		against = []string{"the version chosen serves all targets of the record"}
	}
	return []Hold{{By: HeldByTogether, Detail: joinSome(against)}}, nil
}

func joinSome(list []string) string {
	text := ""
	for i, t := range list[:min(3, len(list))] {
		if i > 0 {
			text += "; "
		}
		text += t
	}
	return text
}
