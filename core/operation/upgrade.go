package operation

import (
	"context"
	"errors"
	"fmt"

	"glassjar/core/catalog"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Outdated is what there is newer of a jar's contents.
type Outdated struct {
	Jar    string
	Behind []plan.Behind
	// Looked is how many packages were compared.
	Looked     int
	SampleOnly bool
	// Notes tell of packages that their publishers or the index have given up.
	Notes []string
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
	free := map[string]bool{}
	for _, d := range installed {
		if d.Direct == nil { // else there is nothing to compare it with
			free[d.Key()] = true
		}
	}
	p, err := m.planUpgrade(ctx, at, spec, resolveOptions{free: free})
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
	h, err := m.beginFilled(ctx, ref)
	if err != nil {
		return nil, err
	}
	defer h.release()
	free := namesOf(h.installed)
	if len(names) > 0 {
		if free, err = namedIn(names, free); err != nil {
			return nil, err
		}
	}
	p, err := m.planUpgrade(ctx, h.place, h.spec, resolveOptions{pre: pre, free: free, named: free})
	if err != nil {
		return nil, err
	}
	if err := m.noteBehind(ctx, p, h.installed, free); err != nil {
		return nil, err
	}
	return m.carryOut(ctx, p, decide)
}

// noteBehind has an upgrade tell which of some names stay behind the newest version of all.
func (m *Machine) noteBehind(ctx context.Context, p *job, installed []jar.Installed, names map[string]bool) error {
	var watched []jar.Installed
	for _, d := range installed {
		if names[d.Key()] {
			watched = append(watched, d)
		}
	}
	all, err := m.behind(ctx, p, watched)
	for _, b := range all {
		if b.Fits != b.Newest {
			p.Behind = append(p.Behind, b)
		}
	}
	return err
}

// planUpgrade plans to move to the newest versions. One thing that was asked for
// is not moved back so that another can go forward, unless there is no other way.
func (m *Machine) planUpgrade(ctx context.Context, at place.Place, spec *project.Spec, opt resolveOptions) (*job, error) {
	base, err := m.specToChange(ctx, at, spec)
	if err != nil {
		return nil, err
	}
	return upward(opt, func(opt resolveOptions) (*job, error) { return m.planTo(ctx, at, spec, base, opt) })
}

// upward has a plan to newest versions made, and made again while it moves back what was asked for.
func upward(opt resolveOptions, planned func(resolveOptions) (*job, error)) (*job, error) {
	first, err := planned(opt)
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
		if p, err = planned(opt); err != nil {
			var failure *plan.SolveError
			if errors.As(err, &failure) {
				return first, nil
			}
			return nil, err
		}
	}
}

// namedIn checks that all names are there, and gives them in normal form; else the error is a
// [*NotInstalledError].
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
func (m *Machine) behind(ctx context.Context, p *job, installed []jar.Installed) ([]plan.Behind, error) {
	out := []plan.Behind{}
	for _, d := range installed {
		if d.Direct != nil {
			continue // there is one file, and it is here
		}
		releases, _, err := p.catalog.Releases(ctx, d.Key())
		if err != nil {
			continue // nothing newer is known of what no index has
		}
		newest, ok := newestFinal(releases, d.Version())
		if _, held := p.catalog.HeldBack(d.Key(), d.Version()); held {
			ok = !newest.Version.IsZero() // it is to go back
		}
		if !ok {
			continue
		}
		b := plan.Behind{Name: d.Key(), Version: d.Version().String(), Fits: d.Version().String(), Newest: newest.Version.String(), Asked: d.Requested, Held: []plan.Hold{}}
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
func (m *Machine) heldBack(ctx context.Context, p *job, name string, newest catalog.Release) ([]plan.Hold, error) {
	holds := []plan.Hold{}
	judge := &catalog.Provider{Catalog: p.catalog, Environment: target.EnvironmentOf(p.python), Context: ctx}
	if h, held := p.catalog.HeldBack(name, newest.Version); held {
		return append(holds, plan.Hold{By: plan.HeldByHold, Range: h.At.Written(), Detail: h.Why}), nil
	}
	if _, c := catalog.Judge(newest, judge.Environment); c.Unfit != resolve.Fit {
		by := map[int]string{resolve.Python: plan.HeldByPython, resolve.NoFile: plan.HeldByFiles, resolve.SourceOnly: plan.HeldBySource, resolve.Yanked: plan.HeldByYank}[c.Unfit]
		return append(holds, plan.Hold{By: by, Detail: c.Detail}), nil
	}
	var unread *resolve.UnreadableError
	if _, err := judge.Needs(ctx, name, "", newest.Version); errors.As(err, &unread) {
		return append(holds, plan.Hold{By: plan.HeldByUnread, Detail: unread.Err.Error()}), nil
	}
	for _, a := range p.roots {
		if a.Key() == name && a.Marker.Holds(judge.Environment.Markers) && !a.Specifiers.Admits(newest.Version) {
			holds = append(holds, plan.Hold{By: plan.HeldBySpec, Range: a.Specifiers.Written(), Detail: m.origin(a)})
		}
	}
	for _, other := range sortedNames(p.versions) {
		needs, err := judge.Needs(ctx, other, "", p.versions[other])
		if err != nil {
			continue // what was provided by the base has no file to read
		}
		for _, n := range needs {
			if n.Name == name && !n.Specifiers.Admits(newest.Version) {
				holds = append(holds, plan.Hold{By: other, Range: n.Specifiers.Written(), Detail: p.versions[other].String()})
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
func (m *Machine) heldTogether(ctx context.Context, p *job, env target.Environment, name string, v version.Version) ([]plan.Hold, error) {
	pin := resolve.Need{Name: name, Specifiers: version.MustParseSpecifiers("==" + v.String()), Origin: "the newest version"}
	problem := resolve.Problem{Roots: []resolve.Need{pin}}
	selected, _, err := m.solver(ctx, p.catalog, nil).Solve(ctx, env, p.roots, problem)
	var failure *plan.SolveError
	if errors.As(err, &failure) {
		var against []string
		for _, f := range failure.Facts {
			if f.Name != "" && f.Unfit == resolve.Fit && f.Needs[0].Name != "" {
				against = append(against, fmt.Sprintf("%s needs %s", f.Name, f.Needs[0]))
			}
		}
		return []plan.Hold{{By: plan.HeldByTogether, Detail: plan.Some(against)}}, nil
	}
	if err != nil {
		return nil, err
	}
	var against []string
	for _, s := range selected {
		if have, ok := p.versions[s.Name]; ok && s.Name != name && s.Version.Less(have) {
			against = append(against, fmt.Sprintf("it would take %s back from %s to %s", s.Name, have, s.Version))
		}
	}
	if len(against) == 0 {
		against = []string{"the version chosen serves all targets of the record"}
	}
	return []plan.Hold{{By: plan.HeldByTogether, Detail: plan.Some(against)}}, nil
}
