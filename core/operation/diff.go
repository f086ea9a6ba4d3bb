package operation

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/git"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/requirement"
	"glassjar/core/sealed"
	"glassjar/core/version"
)

// Difference is what two jars, records or sealed jars do not have in common.
type Difference struct {
	// A and B say what was compared.
	A string
	B string
	// Added are only in B, Removed only in A, Changed in both with other versions.
	Added   []plan.Item
	Removed []plan.Item
	Changed []plan.Item
	// OtherFiles have the same version from other package files, or with other
	// contents; OtherIndex the same from another index.
	OtherFiles []plan.Item
	OtherIndex []plan.Item
	// Pythons are those of A and B where they differ.
	Pythons []string
	Same    int
	// ALabel and BLabel are their labels, AKind and BKind whether of a jar or of a record.
	ALabel, BLabel, AKind, BKind string
}

// The kinds of labels: of the bytes of a jar here, or of a record, the same on every system.
const (
	LabelOfJar    = "jar"
	LabelOfRecord = "record"
)

// Differs reports whether there is any difference.
func (d *Difference) Differs() bool {
	return len(d.Added)+len(d.Removed)+len(d.Changed)+len(d.OtherFiles)+len(d.OtherIndex)+len(d.Pythons) > 0
}

// side is one of the two.
type side struct {
	title, python string
	label, kind   string
	env           requirement.Environment
	parts         project.Parts
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
	return steady(ctx, m, ref, func() (*Difference, error) { return m.diff(ctx, ref, a, b) })
}

func (m *Machine) diff(ctx context.Context, ref, a, b string) (*Difference, error) {
	if b == "" {
		at, err := m.Places().Locate(ref, false)
		if err != nil {
			return nil, err
		}
		switch ofRecord := a == "" || strings.HasPrefix(a, revisionPrefix); {
		case ofRecord && !isFile(at.RecordFile):
			return nil, fmt.Errorf("%s: %w", at.RecordFile, project.ErrNoRecord)
		case a == "":
			a, b = at.Root, at.RecordFile
		case ofRecord:
			b = at.RecordFile
		default:
			a, b = at.Root, a
		}
	}
	x, y, err := m.sides(ctx, a, b)
	if err != nil {
		return nil, err
	}
	// A record serves many systems: beside a jar, what it says for the jar's.
	x.apply(y)
	y.apply(x)
	d := compareSides(x, y)
	d.ALabel, d.AKind, d.BLabel, d.BKind = x.label, x.kind, y.label, y.kind
	return d, nil
}

func (m *Machine) sides(ctx context.Context, a, b string) (x, y *side, err error) {
	if x, err = m.side(ctx, a); err == nil {
		y, err = m.side(ctx, b)
	}
	return x, y, err
}

// isFile reports whether there is a file, and no folder.
func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

func (m *Machine) side(ctx context.Context, ref string) (*side, error) {
	if registry.IsRef(ref) {
		z, err := m.openSealed(ctx, ref)
		if err != nil {
			return nil, err
		}
		return &side{title: ref, packages: map[string]sidePackage{}, record: z.Record, label: z.Record.Label(), kind: LabelOfRecord}, nil
	}
	if revision, ok := strings.CutPrefix(ref, revisionPrefix); ok {
		return m.revisionSide(ctx, ref, revision)
	}
	file := m.absolute(ref)
	if isFile(file) && m.ScriptNamed(file) == "" {
		return recordSide(file, ref)
	}
	at, err := m.Places().Named(ref)
	if err != nil {
		return nil, err
	}
	return steadyAt(ctx, at.Root, func() (*side, error) { return m.jarSide(ctx, at) })
}

// revisionPrefix begins the name of what git keeps: "git:main".
const revisionPrefix = "git:"

// RevisionError says why there is no record at a revision.
type RevisionError struct {
	Ref string
	Err error
}

func (e *RevisionError) Error() string { return e.Ref + ": " + e.Err.Error() }

func (e *RevisionError) Unwrap() error { return e.Err }

// revisionSide is the project's record as a revision has it.
func (m *Machine) revisionSide(ctx context.Context, ref, revision string) (*side, error) {
	at, err := m.Places().Locate("", false)
	if err != nil {
		return nil, err
	}
	text, err := git.File(ctx, filepath.Dir(at.RecordFile), revision, filepath.Base(at.RecordFile))
	if err != nil {
		return nil, &RevisionError{ref, err}
	}
	record, err := project.ParseRecord(at.RecordFile, text)
	if err != nil {
		return nil, &RevisionError{ref, err}
	}
	return &side{title: ref, packages: map[string]sidePackage{}, record: record, label: record.Label(), kind: LabelOfRecord}, nil
}

func (m *Machine) jarSide(ctx context.Context, at place.Place) (*side, error) {
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	s := &side{title: at.Root, python: pythonTitle(j) + " on " + j.State.OS + " " + j.State.Arch, parts: j.State.Parts, packages: map[string]sidePackage{}}
	if in, err := m.interpreterOf(ctx, j); err == nil {
		s.env = in.Environment()
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	label, contents, _ := j.RecordedSums(installed) // what cannot be read has none; check tells
	s.label, s.kind = label, LabelOfJar
	last := map[string]jar.MomentPackage{}
	moment, ok, err := j.LastMoment()
	if err != nil {
		return nil, err
	}
	if ok {
		for _, e := range moment.Packages {
			last[e.Name] = e
		}
	}
	for _, d := range installed {
		p := sidePackage{version: d.Version().String(), contents: contents[d.Key()], index: last[d.Key()].Index}
		if sum := last[d.Key()].SHA256; sum != "" {
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
		z, err := sealed.OpenFile(file)
		if err != nil {
			return nil, err
		}
		z.Close()
		s.record = z.Record
	case strings.HasSuffix(file, ".toml"):
		if s.record, err = project.ParseRecord(file, head); err != nil {
			return nil, err
		}
	default:
		return nil, usage(NothingToCompare, ref)
	}
	s.label, s.kind = s.record.Label(), LabelOfRecord
	return s, nil
}

// apply fills a record's packages: those for the other's environment if that is
// a jar, else all.
func (s *side) apply(other *side) {
	if s.record == nil {
		return
	}
	list := s.record.Packages
	if other.env != nil {
		if entries, _, err := plan.Applying(s.record, other.env, other.parts); err == nil {
			list = slices.Collect(maps.Values(entries))
		}
	}
	for _, e := range list {
		p := sidePackage{version: e.Version.String(), index: e.Index}
		for _, f := range e.Files() {
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
	d := &Difference{A: x.title, B: y.title, Added: []plan.Item{}, Removed: []plan.Item{}, Changed: []plan.Item{}, OtherFiles: []plan.Item{}, OtherIndex: []plan.Item{}, Pythons: []string{}}
	if x.python != "" && y.python != "" && x.python != y.python {
		d.Pythons = []string{x.python, y.python}
	}
	for _, name := range sortedNames(x.packages) {
		if _, ok := y.packages[name]; !ok {
			d.Removed = append(d.Removed, plan.Item{Name: name, From: x.packages[name].version})
		}
	}
	for _, name := range sortedNames(y.packages) {
		b := y.packages[name]
		a, ok := x.packages[name]
		item := plan.Item{Name: name, Version: b.version, From: a.version}
		switch {
		case !ok:
			d.Added = append(d.Added, plan.Item{Name: name, Version: b.version})
		case !sameVersion(a.version, b.version):
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

// sameVersion compares versions however they are written.
func sameVersion(a, b string) bool {
	v, err := version.Parse(a)
	w, err2 := version.Parse(b)
	return a == b || err == nil && err2 == nil && v.Equal(w)
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
