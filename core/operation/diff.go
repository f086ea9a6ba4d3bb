package operation

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Difference is what two jars, records or sealed jars do not have in common.
type Difference struct {
	// A and B say what was compared.
	A string `json:"a"`
	B string `json:"b"`
	// Added are only in B, Removed only in A, Changed in both with other versions.
	Added   []Item `json:"added"`
	Removed []Item `json:"removed"`
	Changed []Item `json:"changed"`
	// OtherFiles have the same version from other package files, or with other
	// contents; OtherIndex the same from another index.
	OtherFiles []Item `json:"other_files"`
	OtherIndex []Item `json:"other_index"`
	// Pythons are those of A and B where they differ.
	Pythons []string `json:"pythons"`
	Same    int      `json:"same"`
}

// Differs reports whether there is any difference.
func (d *Difference) Differs() bool {
	return len(d.Added)+len(d.Removed)+len(d.Changed)+len(d.OtherFiles)+len(d.OtherIndex)+len(d.Pythons) > 0
}

// side is one of the two.
type side struct {
	title, python string
	env           requirement.Environment
	parts         jar.Parts
	packages      map[string]sidePackage
	record        *project.Record
}

type sidePackage struct {
	version, index string
	// sums are the package files that it may be of; contents is a hash of the
	// files in a jar, empty for a record.
	sums     []string
	contents string
}

// Diff compares two things, each a jar (a path, or a name on the shelf), a
// record, or a sealed jar. An empty b is the record of the jar a; an empty a is
// the jar in effect.
func (m *Machine) Diff(ctx context.Context, ref, a, b string) (*Difference, error) {
	if a == "" {
		place, err := m.Locate(ref, false)
		if err != nil {
			return nil, err
		}
		a, b = place.Root, place.RecordFile
	} else if b == "" {
		place, err := m.Locate(ref, false)
		if err != nil {
			return nil, err
		}
		a, b = place.Root, a
	}
	x, err := m.side(ctx, a)
	if err != nil {
		return nil, err
	}
	y, err := m.side(ctx, b)
	if err != nil {
		return nil, err
	}
	// A record serves many systems: beside a jar, what it says for the jar's.
	x.apply(y)
	y.apply(x)
	return compareSides(x, y), nil
}

func (m *Machine) side(ctx context.Context, ref string) (*side, error) {
	file := ref
	if !filepath.IsAbs(file) {
		file = filepath.Join(m.Dir, file)
	}
	if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() {
		return recordSide(file, ref)
	}
	place, err := m.named(ref)
	if err != nil {
		return nil, err
	}
	j, err := m.open(place)
	if err != nil {
		return nil, err
	}
	s := &side{title: place.Root, python: pythonTitle(j) + " on " + j.State.OS + " " + j.State.Arch, parts: j.State.Parts, packages: map[string]sidePackage{}}
	if in, err := m.interpreterOf(ctx, j); err == nil {
		s.env = in.Environment()
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	origins, last := readOrigins(j), map[string]jar.MomentPackage{}
	if moment, ok := j.LastMoment(); ok {
		for _, e := range moment.Packages {
			last[e.Name] = e
		}
	}
	for _, d := range installed {
		p := sidePackage{version: d.Version().String(), contents: j.ContentsSum(d), index: last[d.Key()].Index}
		if sum := origins[d.Key()]; sum != "" {
			p.sums = []string{sum}
		}
		s.packages[d.Key()] = p
	}
	return s, nil
}

func recordSide(file, ref string) (*side, error) {
	head, err := readFrom(file)
	if err != nil {
		return nil, err
	}
	s := &side{title: file, packages: map[string]sidePackage{}}
	switch {
	case bytes.Equal(head, zipHead):
		z, record, err := openSealed(file)
		if err != nil {
			return nil, err
		}
		z.Close()
		s.record = record
	case strings.HasSuffix(file, ".toml"):
		if s.record, err = project.ParseRecord(file, head); err != nil {
			return nil, err
		}
	default:
		return nil, usage("%s is no jar, no record and no sealed jar", "name two of them: glassjar diff A B", ref)
	}
	return s, nil
}

// apply fills a record's packages: those for the other's environment if that is
// a jar, else all.
func (s *side) apply(other *side) {
	if s.record == nil {
		return
	}
	for _, e := range s.record.Packages {
		if other.env != nil && !e.Marker.HoldsIn(other.env, other.parts.Extras, other.parts.Groups) {
			continue
		}
		p := sidePackage{version: e.Version.String(), index: e.Index}
		for _, f := range filesOf(e) {
			p.sums = append(p.sums, f.Hashes["sha256"])
		}
		name := e.Name
		if other.env == nil && !e.Marker.IsZero() {
			if _, twice := s.packages[name]; twice {
				name += "; " + e.Marker.String()
			}
		}
		s.packages[name] = p
	}
}

func compareSides(x, y *side) *Difference {
	d := &Difference{A: x.title, B: y.title, Added: []Item{}, Removed: []Item{}, Changed: []Item{}, OtherFiles: []Item{}, OtherIndex: []Item{}, Pythons: []string{}}
	if x.python != "" && y.python != "" && x.python != y.python {
		d.Pythons = []string{x.python, y.python}
	}
	for _, name := range sortedNames(x.packages) {
		if _, ok := y.packages[name]; !ok {
			d.Removed = append(d.Removed, Item{Name: name, From: x.packages[name].version})
		}
	}
	for _, name := range sortedNames(y.packages) {
		b := y.packages[name]
		a, ok := x.packages[name]
		item := Item{Name: name, Version: b.version, From: a.version}
		switch {
		case !ok:
			d.Added = append(d.Added, Item{Name: name, Version: b.version})
		case a.version != b.version:
			d.Changed = append(d.Changed, item)
		case otherFiles(a, b):
			d.OtherFiles = append(d.OtherFiles, item)
		case x.record != nil && y.record != nil && a.index != b.index && a.index != "" && b.index != "":
			item.From, item.Index = a.index, b.index
			d.OtherIndex = append(d.OtherIndex, item)
		default:
			d.Same++
		}
	}
	return d
}

// otherFiles reports whether the same version is of other package files, or has
// other contents in two jars.
func otherFiles(a, b sidePackage) bool {
	if a.contents != "" && b.contents != "" {
		return a.contents != b.contents
	}
	if len(a.sums) == 0 || len(b.sums) == 0 {
		return false
	}
	return !slices.ContainsFunc(a.sums, func(s string) bool { return slices.Contains(b.sums, s) })
}

// Checked is what a check of a jar found.
type Checked struct {
	Jar string `json:"jar"`
	// Files is how many were compared with their hashes.
	Files  int         `json:"files"`
	Faults []jar.Fault `json:"faults"`
	// Unknown are files that belong to nothing.
	Unknown []string `json:"unknown"`
	// Unmet are needs that nothing in the jar meets.
	Unmet []Unmet `json:"unmet"`
	// Broken are scripts and links that lead nowhere.
	Broken []string `json:"broken"`
	// Python says what is wrong with the interpreter, empty if nothing is.
	Python string `json:"python"`
	// Step is the record's state, as in [Here].
	Step string `json:"step"`
	// Mended tells what was put right.
	Mended []string `json:"mended"`
}

// Unmet is a need and what there is instead.
type Unmet struct {
	Need
	// Version is the one here, empty if the name is not here.
	Version string `json:"version"`
}

// Clean reports whether nothing was found.
func (c *Checked) Clean() bool {
	return len(c.Faults)+len(c.Unknown)+len(c.Unmet)+len(c.Broken) == 0 && c.Python == "" && (c.Step == InStep || c.Step == NoRecord)
}

// Check compares a jar with what it should be. With mend, files are restored
// from the store, and what belongs to the jar itself is written anew.
func (m *Machine) Check(ctx context.Context, ref string, mend bool) (*Checked, error) {
	place, err := m.Locate(ref, mend)
	if err != nil {
		return nil, err
	}
	if mend {
		release, err := m.hold(place)
		if err != nil {
			return nil, err
		}
		defer release()
	}
	c, err := m.examine(ctx, place)
	if err != nil || !mend || len(c.Faults)+len(c.Broken)+len(c.Unmet) == 0 && c.Python == "" {
		return c, err
	}
	mended, err := m.mend(ctx, place, c)
	if err != nil {
		return c, err
	}
	if c, err = m.examine(ctx, place); err == nil {
		c.Mended = mended
	}
	return c, err
}

func (m *Machine) examine(ctx context.Context, place Place) (*Checked, error) {
	j, err := m.open(place)
	if err != nil {
		return nil, err
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	c := &Checked{Jar: place.Root, Faults: []jar.Fault{}, Unknown: []string{}, Unmet: []Unmet{}, Broken: append([]string{}, j.Dangling()...), Mended: []string{}}
	survey, err := j.Survey(installed)
	if err != nil {
		return nil, err
	}
	c.Files, c.Faults, c.Unknown = survey.Files, append(c.Faults, survey.Faults...), append(c.Unknown, survey.Unknown...)
	g := m.graph(ctx, j, installed)
	for _, from := range append([]string{""}, g.names...) {
		list := g.needs[from]
		if from == "" {
			list = g.roots
		}
		for _, n := range list {
			have, _ := g.version(n.To)
			if have == "" || !n.admits(g) {
				c.Unmet = append(c.Unmet, Unmet{n, have})
			}
		}
	}
	c.Python = m.pythonFault(ctx, j)
	spec, err := readSpec(place)
	if err != nil {
		return nil, err
	}
	record, err := project.ReadRecord(place.RecordFile)
	switch {
	case errors.Is(err, project.ErrNoRecord):
		c.Step = NoRecord
	case err != nil:
		return nil, err
	default:
		c.Step = m.step(ctx, j, installed, spec, record)
	}
	return c, nil
}

// admits reports whether what is here meets a need.
func (n Need) admits(g *graph) bool {
	if d, ok := g.installed[n.To]; ok {
		return n.requirement.Specifiers.Holds(d.Version())
	}
	return n.requirement.Specifiers.Holds(g.base[n.To].version)
}

// pythonFault says what is wrong with a jar's interpreter.
func (m *Machine) pythonFault(ctx context.Context, j *jar.Jar) string {
	in, err := m.interpreterOf(ctx, j)
	var gone *jar.InterpreterGoneError
	switch {
	case errors.As(err, &gone):
		return gone.Target + " is gone"
	case err != nil:
		return err.Error()
	case in.Said.Version != j.State.Python:
		return "it is " + in.Said.Version + " now, and was " + j.State.Python + " when the jar was made"
	}
	return ""
}

// mend restores the distributions with faults from their package files, and
// links the jar to its interpreter anew.
func (m *Machine) mend(ctx context.Context, place Place, c *Checked) ([]string, error) {
	p := emptyPlan(place)
	installed, survey, err := m.present(ctx, p, &project.Spec{}, "")
	if err != nil {
		return nil, err
	}
	p.parts = p.jar.State.Parts
	p.Structure, err = p.jar.Rebase(p.python, jar.Options{Prompt: place.Prompt(), SeeSystem: p.jar.State.SeeSystem, Parts: p.parts})
	if err != nil {
		return nil, err
	}
	moment, _ := p.jar.LastMoment()
	spec, err := readSpec(place)
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	p.catalog = m.newCatalog(indexes)
	if p.selected, err = momentSelection(moment); err != nil {
		return nil, err
	}
	survey.Unknown = nil
	p.compare(installed, readOrigins(p.jar), func(jar.Installed) bool { return false }, survey)
	out, err := m.carryOut(ctx, p, func(*Plan) (bool, error) { return true, nil })
	if err != nil {
		return nil, err
	}
	mended := append([]string{}, out.Plan.Structure...)
	for _, list := range [][]Item{p.Mend, p.Add} {
		for _, i := range list {
			mended = append(mended, i.Name+" "+i.Version)
		}
	}
	return mended, nil
}
