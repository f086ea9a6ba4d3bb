package operation

import (
	"context"
	"errors"
	"sort"

	"glassjar/core/graph"
	"glassjar/core/jar"
	"glassjar/core/leaks"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
	"glassjar/core/version"
)

// Entry is one distribution of a jar.
type Entry struct {
	Name    string
	Version string
	Summary string
	// Asked tells that a person asked for it; NeededBy are those in the jar that
	// need it.
	Asked    bool
	NeededBy []string
	// Size is the sum of its files in bytes, Files their number.
	Size  int64
	Files int
	// Installer is the program that put it there.
	Installer string
	// From is where it came from if no index gave it.
	From   string
	Damage string
	// Base tells that the jar only sees it: it belongs to the base.
	Base bool
	// Parts are the pieces of the spec that bring it: "dependencies", "group test".
	Parts []string
}

// Contents is what a jar holds.
type Contents struct {
	Jar     string
	Python  string
	Entries []Entry
	// Roots are what people asked for, Needs what the packages need of each other.
	Roots []graph.Need
	Needs []graph.Need
}

// Contents lists what is in a jar or, with the name of a group or an extra, what
// that brings. It starts no Python.
func (m *Machine) Contents(ctx context.Context, ref, group string) (*Contents, error) {
	return steady(ctx, m, ref, func() (*Contents, error) { return m.contents(ctx, ref, group) })
}

func (m *Machine) contents(ctx context.Context, ref, group string) (*Contents, error) {
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	out := &Contents{Jar: at.Root, Python: pythonTitle(j), Entries: []Entry{}}
	g := m.graph(ctx, j, installed)
	if group != "" {
		if known, ok := g.Only(group); !ok {
			return nil, unknownPart(group, known)
		}
	}
	parts := g.Parts()
	out.Roots = append([]graph.Need{}, g.Roots()...)
	out.Needs = []graph.Need{}
	for _, d := range installed {
		if _, in := g.Node(d.Key()); !in {
			continue
		}
		out.Needs = append(out.Needs, g.Needs(d.Key())...)
		e := Entry{Name: d.Key(), Version: d.Version().String(), Summary: d.Metadata.Summary, Asked: d.Requested, NeededBy: append([]string{}, g.NeededBy(d.Key())...),
			Installer: d.Installer, Damage: d.Damage, Parts: append([]string{}, parts[d.Key()]...)}
		sort.Strings(e.NeededBy)
		files, err := j.Files(d)
		if err != nil && e.Damage == "" {
			e.Damage = "its RECORD cannot be read"
		}
		for _, f := range files {
			e.Files++
			e.Size += max(f.Size, 0)
		}
		if d.Direct != nil {
			e.From = d.Direct.URL
		}
		out.Entries = append(out.Entries, e)
	}
	if group == "" {
		out.addBase(g)
	}
	return out, nil
}

// addBase lists what a jar sees of its base.
func (c *Contents) addBase(g *graph.Graph) {
	for _, name := range g.OfBase() {
		n, _ := g.Node(name)
		c.Entries = append(c.Entries, Entry{Name: name, Version: n.Version.String(), Summary: n.Summary, NeededBy: []string{}, Parts: []string{}, Base: true})
	}
}

// unknownPart says that a jar holds nothing of a group or extra; known are those that it
// holds something of.
func unknownPart(group string, known []string) error {
	return &UsageError{Case: NoPartOfJar, Of: []string{group}, Near: near.First(requirement.Normalize(group), known)}
}

func pythonTitle(j *jar.Jar) string {
	name := map[string]string{"cpython": "CPython", "pypy": "PyPy"}[j.State.Implementation]
	if name == "" {
		name = j.State.Implementation
	}
	return name + " " + j.State.Python
}

// Here is which jar and Python are in effect where the user stands.
type Here struct {
	Jar string
	// Exists tells whether the jar is there; Why is "named", "active" or
	// "nearest".
	Exists bool
	Why    string
	Name   string
	Python string
	// OwnPython is the jar's own program, for editors and scripts; empty where the
	// jar is not made yet.
	OwnPython string
	// Trusted tells that the jar is there and was made here, or is trusted otherwise:
	// of others nothing is run.
	Trusted bool
	// Base is the program that the jar's interpreter is; BaseGone tells that it
	// is not there any more.
	Base     string
	BaseGone bool
	Packages int
	Spec     string
	Record   string
	// Step is "in step", "spec changed", "jar differs", "no record", or "cut off"
	// where a change was, and is to be undone yet.
	Step string
	// Active is the folder that VIRTUAL_ENV names, if it is another.
	Active string
	// Label is the fingerprint of what was installed; whether the files are
	// still so is for check. RecordLabel is that of the record, the same on every system; it
	// is empty where there is none.
	Label, RecordLabel string
	// Leaks are ways in which things from outside get in.
	Leaks []leaks.Leak
	// SampleOnly tells that no index is set up.
	SampleOnly bool
	// LacksMerging tells that the project has git merge records by this program, and this checkout
	// does not know how.
	LacksMerging bool
}

// The states of a record beside its spec and jar.
const (
	InStep = "in step"
	// SourceChanged tells that a folder from which something was built is not as it was.
	SourceChanged = "source changed"
	SpecChanged   = "spec changed"
	JarDiffers    = "jar differs"
	NoRecord      = "no record"
	CutOff        = "cut off"
)

// Here looks at what is in effect.
func (m *Machine) Here(ctx context.Context, ref string) (*Here, error) {
	h, err := steady(ctx, m, ref, func() (*Here, error) { return m.here(ctx, ref) })
	var pending *jar.PendingError
	if errors.As(err, &pending) {
		if h, err = m.here(ctx, ref); err == nil {
			h.Step, h.Label = CutOff, ""
		}
	}
	return h, err
}

func (m *Machine) here(ctx context.Context, ref string) (*Here, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	h := &Here{Jar: at.Root, Exists: at.Exists(), Why: at.Why, Name: at.Prompt(), Step: NoRecord, Leaks: []leaks.Leak{}}
	if m.Active != "" && place.Real(m.Active) != place.Real(at.Root) {
		h.Active = m.Active
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if spec.Exists() {
		h.Spec = at.SpecFile
	}
	_, h.SampleOnly = m.indexes(spec)
	if at.Project != "" {
		h.LacksMerging = m.lacksMerging(ctx, at.Project)
	}
	record, err := project.ReadRecord(at.RecordFile)
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return nil, err
	}
	if record != nil {
		h.Record, h.RecordLabel = at.RecordFile, record.Label()
		h.Step = InStep
	}
	if !h.Exists {
		if record != nil {
			h.Step = JarDiffers
		}
		return h, nil
	}
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	h.Python, h.OwnPython, h.Trusted = pythonTitle(j), j.Python(), m.Places().MayBeUsed(j.Root)
	if h.Base, err = j.Base(); err != nil {
		var gone *jar.InterpreterGoneError
		if !errors.As(err, &gone) {
			return nil, err
		}
		h.Base, h.BaseGone = gone.Target, true
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	h.Packages = len(installed)
	h.Leaks = leaks.Into(j, m.Active)
	if h.Label, err = j.RecordedLabel(installed); err != nil {
		h.Label = "" // a RECORD is gone: recreate mends it
	}
	if record != nil && !h.BaseGone {
		h.Step = m.step(ctx, j, installed, spec, record)
	}
	return h, nil
}

// step compares names and versions; what a file holds is for check.
func (m *Machine) step(ctx context.Context, j *jar.Jar, installed []jar.Installed, spec *project.Spec, record *project.Record) string {
	if added, dropped := drift(spec, record); len(added)+len(dropped) > 0 {
		return SpecChanged
	}
	switch {
	case spec.SeeSystem(record.SeeSystem) != record.SeeSystem:
		return SpecChanged
	case spec.SeeSystem(j.State.SeeSystem || record.SeeSystem) != j.State.SeeSystem:
		return JarDiffers
	}
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return JarDiffers
	}
	want := map[string]version.Version{}
	entries, _, err := plan.Applying(record, in.Environment(), j.State.Parts)
	if err != nil {
		return JarDiffers
	}
	for name, e := range entries {
		want[name] = e.Version
	}
	for _, d := range installed {
		if v, ok := want[d.Key()]; !ok || !v.IsZero() && !v.Equal(d.Version()) { // 1.0 is 1.0.0
			return JarDiffers
		}
		delete(want, d.Key())
	}
	if len(want) > 0 {
		return JarDiffers
	}
	if last, ok, err := j.LastMoment(); err == nil && ok {
		for _, p := range last.Packages {
			if p.Tree == nil || p.Tree.Folder == "" {
				continue
			}
			if sum, err := source.FolderSum(ctx, p.Tree.Folder, source.Of{Subdirectory: p.Subdirectory, Editable: p.Tree.Editable, Own: p.Tree.Own}); err != nil || sum != p.SHA256 {
				return SourceChanged
			}
		}
	}
	return InStep
}

// Labelled is a jar's fingerprint and what it covers, and that of its record.
type Labelled struct {
	Jar      string
	Label    string
	Python   string
	Packages int
	// Record is the record's file, and RecordLabel its fingerprint: the same on every system
	// of a team. They are empty where there is none; Jar and Label are where there is no jar.
	Record, RecordLabel string
}

// Label computes a jar's fingerprint from its files.
func (m *Machine) Label(ctx context.Context, ref string) (*Labelled, error) {
	return steady(ctx, m, ref, func() (*Labelled, error) { return m.label(ref) })
}

// LabelOf is the label of a record or a jar that is named as [Machine.Diff] takes it: a sealed jar,
// in a registry too, or a revision.
func (m *Machine) LabelOf(ctx context.Context, what string) (*Labelled, error) {
	s, err := m.side(ctx, what)
	if err != nil {
		return nil, err
	}
	if s.kind == LabelOfJar {
		return m.Label(ctx, what)
	}
	return &Labelled{Record: s.title, RecordLabel: s.label, Packages: len(s.record.Packages)}, nil
}

func (m *Machine) label(ref string) (*Labelled, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	out := &Labelled{}
	if record, err := project.ReadRecord(at.RecordFile); err == nil { // else the jar has its own still
		out.Record, out.RecordLabel = at.RecordFile, record.Label()
	}
	if !at.Exists() && out.Record != "" {
		return out, nil
	}
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	out.Jar, out.Python, out.Packages = at.Root, pythonTitle(j), len(installed)
	out.Label, err = j.Label(installed)
	return out, err
}
