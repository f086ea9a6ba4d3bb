package operation

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/signature"
	"glassjar/core/target"
	"glassjar/core/version"
)

func sortedAsked(roots []project.Asked) []project.Asked {
	out := append([]project.Asked(nil), roots...)
	sort.SliceStable(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if c := a.Part.Compare(b.Part); c != 0 {
			return c < 0
		}
		return a.Written() < b.Written()
	})
	return out
}

// recordEntry is one version as the record writes it: all files of its
// release, so that every platform finds its own.
func (m *Machine) recordEntry(ctx context.Context, p *job, name string, v version.Version, u *plan.Solutions) (project.Package, error) {
	e := project.Package{Name: name, Version: v}
	known, err := u.FileOf(ctx, name, v)
	if err != nil {
		return e, err
	}
	meta, err := p.catalog.Metadata(ctx, *known)
	if err != nil {
		return e, err
	}
	e.RequiresPython = meta.RequiresPython
	if known.Tree != nil {
		recordTree(&e, p.place, *known)
		return e, nil
	}
	if known.Index == "" {
		f := m.recordFile(p.place, *known)
		e.Archive = &f
		return e, nil
	}
	releases, source, err := p.catalog.Releases(ctx, name)
	if err != nil {
		return e, err
	}
	if e.NeedsOf = p.catalog.AssumedFrom(known.Index, name, v); p.catalog.ReadAll[name] {
		e.NeedsOf = project.EveryWheel
	}
	if source != nil && (strings.HasPrefix(source.Address(), "http") || strings.HasPrefix(source.Address(), index.SampleScheme)) {
		e.Index = source.Address()
	}
	for _, r := range releases {
		if !r.Version.Equal(v) {
			continue
		}
		for _, f := range r.Files {
			if !digest.Strong(f.Hashes.ByName()) {
				// What cannot be verified cannot be recorded: its hash is found out.
				_, sum, err := p.catalog.Fetch(ctx, f, nil)
				if err != nil {
					return e, err
				}
				f.Hashes = f.Hashes.With(sum)
			}
			entry := m.recordFile(p.place, f)
			if f.Wheel != nil {
				e.Wheels = append(e.Wheels, entry)
			} else {
				e.Sdist = &entry
			}
		}
	}
	return e, nil
}

// recordTree writes a folder so that it means the same on another machine, or a repository.
// The version of a folder is what stands in it, so that the record has none (PEP 751).
func recordTree(e *project.Package, at place.Place, f index.File) {
	if t := f.Tree; t.Repository != "" {
		e.VCS = &project.VCS{Type: "git", URL: t.Repository, Requested: t.Requested, Commit: t.Commit, Subdirectory: f.Subdirectory}
		return
	}
	e.Version = version.Version{}
	path := f.Tree.Folder
	if rel, err := filepath.Rel(place.Real(filepath.Dir(at.RecordFile)), place.Real(path)); err == nil && at.Project != "" {
		path = rel
	}
	e.Directory = &project.Directory{Path: filepath.ToSlash(path), Editable: f.Tree.Editable, Subdirectory: f.Subdirectory}
}

// recordFile writes a file's place so that it means the same on another
// machine: an address, or a path relative to the record.
func (m *Machine) recordFile(at place.Place, f index.File) project.PackageFile {
	out := project.PackageFile{URL: f.URL, Size: f.Size, Hashes: f.Hashes.ByName(), Uploaded: f.Uploaded, Subdirectory: f.Subdirectory}
	if f.Path != "" && at.Project != "" {
		if rel, err := filepath.Rel(at.Project, f.Path); err == nil && !strings.HasPrefix(rel, "..") {
			out.URL, out.Path = "", filepath.ToSlash(rel)
		}
	}
	return out
}

// RecordOptions say what to record.
type RecordOptions struct {
	Jar string
	// Of is a script, whose record is written beside it; empty for a jar's.
	Of string
	// Check changes nothing and tells whether the record is in step.
	Check bool
	// Pre admits pre-releases.
	Pre bool
	// ReadAll are distributions of which every wheel's needs are read, though their index
	// does not say whether they differ.
	ReadAll []string
	// Sign is the file of the key with which the record is signed, or empty.
	Sign string
}

// Recorded tells what became of a record.
type Recorded struct {
	File string
	// Changed tells that the record was, or with Check would be, written anew.
	Changed bool
	// Packages counts its entries.
	Packages   int
	SampleOnly bool
	// Targets are served by the record; Left are those for which no versions fit.
	Targets []string
	Left    []project.LeftOut
	// PassedOver are package files that were not considered.
	PassedOver []index.PassedOver
	// Signed tells with which key it was signed, nil where it was not.
	Signed *signature.Signed
	// Assumed are entries whose needs were read from one of their wheels.
	Assumed []Assumed
}

// Assumed is a distribution whose wheels are assumed to need what one of them does, since its
// index does not say.
type Assumed struct{ Name, Version, NeedsOf string }

// Record writes or refreshes the record from the spec, for every target.
// Versions that the record has stay where they fit. It needs no jar.
func (m *Machine) Record(ctx context.Context, opt RecordOptions) (*Recorded, error) {
	if opt.Of != "" {
		return m.recordScript(ctx, opt)
	}
	at, release, err := m.beginAt(ctx, opt.Jar)
	if err != nil {
		return nil, err
	}
	defer release()
	if err := m.mergeMarks(ctx, at, opt.Check); err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if !spec.Exists() {
		return nil, &NoSpecError{at.SpecFile}
	}
	p, installed, err := m.planForRecord(ctx, at, spec)
	if err != nil {
		return nil, err
	}
	return m.recordFor(ctx, p, spec, installed, opt)
}

// recordFor writes the record of a job's place, which is held.
func (m *Machine) recordFor(ctx context.Context, p *job, spec *project.Spec, installed []jar.Installed, opt RecordOptions) (*Recorded, error) {
	at := p.place
	record, merged, err := m.recordOf(ctx, at)
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return nil, err
	}
	if merged {
		p.before = record
	}
	m.noteUnknown(spec)
	indexes, sampleOnly := m.indexes(spec)
	p.catalog, p.SampleOnly = m.newCatalog(indexes), sampleOnly
	m.withSources(p, spec, nil, record)
	p.catalog.ReadAll = readAll(record, opt.ReadAll)
	if err := plan.CheckPython(spec.RequiresPython, p.environment()); err != nil {
		return nil, err
	}
	roots := rootsOf(spec, resolveOptions{})
	u, err := m.solveAll(ctx, p, spec, roots, resolve.Problem{AllowPrereleases: opt.Pre, Keep: keepOf(record, installed, resolveOptions{})})
	if err != nil {
		return nil, err
	}
	data, err := m.recordText(ctx, p, spec, roots, u)
	if err != nil {
		return nil, err
	}
	out, err := recordedAs(at, data, u)
	if err != nil {
		return nil, err
	}
	out.SampleOnly, out.PassedOver = sampleOnly, p.catalog.PassedOver()
	if opt.Check {
		have, err := os.ReadFile(at.RecordFile)
		out.Changed = err != nil || string(have) != string(data)
		return out, nil
	}
	if out.Changed, err = m.writeIfNew(at.RecordFile, data); err != nil {
		return out, err
	}
	m.noteRecord(at)
	if opt.Sign != "" {
		if out.Signed, err = m.signRecord(ctx, opt.Sign, at.RecordFile); err != nil {
			return out, errors.Join(err, m.dropStaleSignature(at))
		}
		return out, nil
	}
	return out, m.dropStaleSignature(at)
}

// recordedAs tells what is in the text of a record that serves a solution's targets.
func recordedAs(at place.Place, data []byte, u *plan.Solutions) (*Recorded, error) {
	out := &Recorded{File: at.RecordFile, Targets: []string{}, Left: u.LeftOut(), Assumed: []Assumed{}}
	written, err := project.ParseRecord(at.RecordFile, data)
	if err != nil {
		return nil, err
	}
	out.Packages = len(written.Packages)
	if len(written.Left) > 0 {
		out.Left = written.Left
	}
	for _, t := range u.Served {
		out.Targets = append(out.Targets, t.String())
	}
	for _, e := range written.Packages {
		if e.NeedsOf != "" && e.NeedsOf != project.EveryWheel {
			out.Assumed = append(out.Assumed, Assumed{e.Name, e.Version.String(), e.NeedsOf})
		}
	}
	return out, nil
}

// readAll are the distributions of which every wheel is read: as a person says now, or said
// when the record was made.
func readAll(record *project.Record, names []string) map[string]bool {
	out := map[string]bool{}
	for _, name := range names {
		out[requirement.Normalize(name)] = true
	}
	if record != nil {
		for _, e := range record.Packages {
			if e.NeedsOf == project.EveryWheel {
				out[e.Name] = true
			}
		}
	}
	return out
}

// planForRecord looks at the jar if there is one; without one the interpreter
// that it would have counts. On a machine that has none it is the first target.
func (m *Machine) planForRecord(ctx context.Context, at place.Place, spec *project.Spec) (*job, []jar.Installed, error) {
	if at.Exists() {
		return m.newPlan(ctx, at)
	}
	p, err := m.planWithoutJar(ctx, at, spec)
	return p, nil, err
}

func (m *Machine) planWithoutJar(ctx context.Context, at place.Place, spec *project.Spec) (*job, error) {
	in, _, _, err := m.choosePython(ctx, "", spec)
	p := newJob(at)
	var none *NoPythonError
	if errors.As(err, &none) && !spec.Tool.SeeSystem {
		targets, wrong := target.All(spec.Tool.Targets, spec.RequiresPython)
		if wrong != nil || len(targets) == 0 {
			return nil, errors.Join(wrong, err)
		}
		p.target, p.Python = &targets[0], targets[0].String()
		return p, nil
	}
	p.python, p.Python = in, in.Title()
	return p, err
}

// NoSpecError says that there is no spec to work from.
type NoSpecError struct{ File string }

func (e *NoSpecError) Error() string { return "there is no spec: " + e.File }

// drift are the requirements by which the spec differs from what the record
// was made from, a hold that it does not keep to among what was added.
func drift(spec *project.Spec, record *project.Record) (added, dropped []string) {
	if !spec.Says() || len(record.Asked) == 0 && !record.Ours() {
		return nil, nil
	}
	is := project.Asks(spec.Asked)
	added, dropped = project.Lacking(is, record.Asked), project.Lacking(record.Asked, is)
	for _, e := range record.Packages {
		if h, held := spec.Held[requirement.Normalize(e.Name)]; held && !e.Version.IsZero() && !h.At.Admits(e.Version) {
			added = append(added, requirement.Normalize(e.Name)+h.At.Written())
		}
	}
	return added, dropped
}
