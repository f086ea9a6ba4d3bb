package operation

import (
	"context"
	"errors"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/index"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
)

// formatRecord writes what was solved as a record. So far it serves the
// environment of the jar; its files are those of every platform.
func (m *Machine) formatRecord(ctx context.Context, p *Plan, spec *project.Spec, roots []project.Asked, solution *resolve.Solution) ([]byte, error) {
	r := &project.Record{File: p.place.RecordFile, CreatedBy: "glassjar", RequiresPython: spec.RequiresPython, Asked: askedTexts(sortedAsked(roots)), SeeSystem: p.jar.State.SeeSystem}
	needs := map[string][]string{}
	for _, c := range solution.Choices {
		seen := map[string]bool{}
		for _, n := range c.Needs {
			if n.Name != c.Name && !seen[n.Name] {
				seen[n.Name] = true
				needs[c.Name] = append(needs[c.Name], n.Name)
			}
		}
		sort.Strings(needs[c.Name])
	}
	for _, s := range p.selected {
		if s.provided {
			continue
		}
		e, err := m.recordEntry(ctx, p, s)
		if err != nil {
			return nil, err
		}
		e.Dependencies = needs[s.name]
		r.Packages = append(r.Packages, e)
	}
	return r.Format(), nil
}

func sortedAsked(roots []project.Asked) []project.Asked {
	out := append([]project.Asked(nil), roots...)
	sort.SliceStable(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if a.Group+a.Extra != b.Group+b.Extra {
			return a.Group+a.Extra < b.Group+b.Extra
		}
		return a.Requirement.String() < b.Requirement.String()
	})
	return out
}

// recordEntry is a selection as the record writes it: all files of its
// release, so that every platform finds its own.
func (m *Machine) recordEntry(ctx context.Context, p *Plan, s selection) (project.Package, error) {
	e := project.Package{Name: s.name, Version: s.version}
	meta, err := p.catalog.metadata(ctx, s.file)
	if err != nil {
		return e, err
	}
	e.RequiresPython = meta.RequiresPython
	if s.file.Index == "" {
		f := m.recordFile(p.place, s.file)
		e.Archive = &f
		return e, nil
	}
	releases, source, err := p.catalog.releases(ctx, s.name)
	if err != nil {
		return e, err
	}
	if source != nil && (strings.HasPrefix(source.Address(), "http") || strings.HasPrefix(source.Address(), index.SampleScheme)) {
		e.Index = source.Address()
	}
	for _, r := range releases {
		if !r.version.Equal(s.version) {
			continue
		}
		for _, f := range r.files {
			if f.Name == s.file.Name {
				f = s.file // its hash may have been found out
			}
			if len(f.Hashes) == 0 {
				continue // what cannot be verified cannot be recorded
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

// recordFile writes a file's place so that it means the same on another
// machine: an address, or a path relative to the record.
func (m *Machine) recordFile(place Place, f index.File) project.PackageFile {
	out := project.PackageFile{URL: f.URL, Size: f.Size, Hashes: f.Hashes, Uploaded: f.Uploaded}
	if f.Path != "" && place.Project != "" {
		if rel, err := filepath.Rel(place.Project, f.Path); err == nil && !strings.HasPrefix(rel, "..") {
			out.URL, out.Path = "", filepath.ToSlash(rel)
		}
	}
	return out
}

// RecordOptions say what to record.
type RecordOptions struct {
	Jar string
	// Check changes nothing and tells whether the record is in step.
	Check bool
}

// Recorded tells what became of a record.
type Recorded struct {
	File string `json:"file"`
	// Changed tells that the record was, or with Check would be, written anew.
	Changed bool `json:"changed"`
	// Packages counts its entries.
	Packages   int  `json:"packages"`
	SampleOnly bool `json:"sample_only"`
}

// Record writes or refreshes the record from the spec. Versions that the
// record has stay where they fit.
func (m *Machine) Record(ctx context.Context, opt RecordOptions) (*Recorded, error) {
	place, err := m.Locate(opt.Jar, true)
	if err != nil {
		return nil, err
	}
	spec, err := readSpec(place)
	if err != nil {
		return nil, err
	}
	if !spec.Exists() {
		return nil, &NoSpecError{place.SpecFile}
	}
	p, installed, err := m.newPlan(ctx, place)
	if err != nil {
		return nil, err
	}
	record, err := project.ReadRecord(place.RecordFile)
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return nil, err
	}
	indexes, sampleOnly := m.indexes(spec)
	p.catalog = m.newCatalog(indexes)
	env := environmentOf(p.python)
	roots := rootsOf(spec, resolveOptions{})
	if err := checkPython(spec, env); err != nil {
		return nil, err
	}
	p.SampleOnly = sampleOnly
	solution, err := m.choose(ctx, p, env, roots, resolve.Problem{Keep: keepOf(record, installed, resolveOptions{})})
	if err != nil {
		return nil, err
	}
	data, err := m.formatRecord(ctx, p, spec, roots, solution)
	if err != nil {
		return nil, err
	}
	out := &Recorded{File: place.RecordFile, Packages: len(p.selected), SampleOnly: sampleOnly}
	out.Changed, err = writeIfNew(place.RecordFile, data, opt.Check)
	return out, err
}

// NoSpecError says that there is no spec to work from.
type NoSpecError struct{ File string }

func (e *NoSpecError) Error() string { return "there is no spec: " + e.File }

// drift are the requirements by which the spec differs from what the record
// was made from.
func drift(spec *project.Spec, record *project.Record) (added, dropped []string) {
	if !spec.Exists() || len(record.Asked) == 0 && record.CreatedBy != "glassjar" {
		return nil, nil
	}
	was := map[string]bool{}
	for _, a := range record.Asked {
		was[a] = true
	}
	is := map[string]bool{}
	for _, a := range spec.Asked {
		if a.Extra != "" || a.Group != "" && !hasGroup(record, a.Group) {
			continue
		}
		text := askedTexts([]project.Asked{a})[0]
		is[text] = true
		if !was[text] {
			added = append(added, text)
		}
	}
	for _, a := range record.Asked {
		if !is[a] {
			dropped = append(dropped, a)
		}
	}
	return added, dropped
}

func hasGroup(record *project.Record, group string) bool {
	for _, a := range record.Asked {
		if strings.HasPrefix(a, "group "+requirement.Normalize(group)+": ") {
			return true
		}
	}
	return false
}
