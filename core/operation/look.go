package operation

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Entry is one distribution of a jar.
type Entry struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Summary string `json:"summary"`
	// Asked tells that a person asked for it; NeededBy are those in the jar that
	// need it.
	Asked    bool     `json:"asked"`
	NeededBy []string `json:"needed_by"`
	// Size is the sum of its files in bytes, Files their number.
	Size  int64 `json:"size"`
	Files int   `json:"files"`
	// Installer is the program that put it there.
	Installer string `json:"installer"`
	// From is where it came from if no index gave it.
	From   string `json:"from,omitempty"`
	Damage string `json:"damage,omitempty"`
	// Base tells that the jar only sees it: it belongs to the base.
	Base bool `json:"base,omitempty"`
}

// Contents is what a jar holds.
type Contents struct {
	Jar     string  `json:"jar"`
	Python  string  `json:"python"`
	Entries []Entry `json:"packages"`
}

// Contents lists what is in a jar. It starts no Python.
func (m *Machine) Contents(ctx context.Context, ref string) (*Contents, error) {
	place, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	out := &Contents{Jar: place.Root, Python: pythonTitle(j), Entries: []Entry{}}
	needed := m.neededBy(ctx, j, installed)
	for _, d := range installed {
		e := Entry{Name: d.Key(), Version: d.Version().String(), Summary: d.Metadata.Summary, Asked: d.Requested, NeededBy: append([]string{}, needed[d.Key()]...),
			Installer: d.Installer, Damage: d.Damage}
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
	return out, m.addBase(ctx, j, out)
}

// addBase lists what a jar sees of its base.
func (m *Machine) addBase(ctx context.Context, j *jar.Jar, out *Contents) error {
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return nil // of a base that is gone nothing is seen
	}
	base, err := m.provided(&Plan{jar: j, python: in})
	if err != nil {
		return err
	}
	own := map[string]bool{}
	for _, e := range out.Entries {
		own[e.Name] = true
	}
	var names []string
	for name := range base {
		if !own[name] {
			names = append(names, name)
		}
	}
	sort.Strings(names)
	for _, name := range names {
		out.Entries = append(out.Entries, Entry{Name: name, Version: base[name].version.String(), Summary: base[name].meta.Summary, NeededBy: []string{}, Base: true})
	}
	return nil
}

// neededBy tells for each name which installed distributions need it, through
// the extras that are asked for as well. Where the interpreter cannot be asked,
// markers do not count.
func (m *Machine) neededBy(ctx context.Context, j *jar.Jar, installed []jar.Installed) map[string][]string {
	in, err := m.interpreterOf(ctx, j)
	holds := func(r requirement.Requirement, extras []string) bool {
		return err != nil && !r.Marker.UsesExtra() || err == nil && r.Marker.Holds(in.Environment(), extras...)
	}
	extras := map[string]map[string]bool{}
	want := func(r requirement.Requirement) (news bool) {
		for _, e := range r.ExtraKeys() {
			if extras[r.Key()] == nil {
				extras[r.Key()] = map[string]bool{}
			}
			news = news || !extras[r.Key()][e]
			extras[r.Key()][e] = true
		}
		return news
	}
	if spec, err := readSpec(m.placeAt(j.Root, Named)); err == nil {
		for _, a := range spec.Asked {
			want(a.Requirement)
		}
	}
	out := map[string][]string{}
	for again := true; again; {
		again = false
		clear(out)
		for _, d := range installed {
			var on []string
			for e := range extras[d.Key()] {
				on = append(on, e)
			}
			for _, r := range d.Metadata.Requires {
				if !holds(r, on) && !holds(r, nil) {
					continue
				}
				again = want(r) || again
				if list := out[r.Key()]; r.Key() != d.Key() && (len(list) == 0 || list[len(list)-1] != d.Key()) {
					out[r.Key()] = append(list, d.Key())
				}
			}
		}
	}
	return out
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
	Jar string `json:"jar"`
	// Exists tells whether the jar is there; Why is "named", "active" or
	// "nearest".
	Exists bool   `json:"exists"`
	Why    string `json:"why"`
	Name   string `json:"name"`
	Python string `json:"python"`
	// Base is the program that the jar's interpreter is; BaseGone tells that it
	// is not there any more.
	Base     string `json:"base"`
	BaseGone bool   `json:"base_gone"`
	Packages int    `json:"packages"`
	Spec     string `json:"spec"`
	Record   string `json:"record"`
	// Step is "in step", "spec changed", "jar differs", "no record".
	Step string `json:"step"`
	// Active is the folder that VIRTUAL_ENV names, if it is another.
	Active string `json:"active,omitempty"`
	// SampleOnly tells that no index is set up.
	SampleOnly bool `json:"sample_only"`
}

// The states of a record beside its spec and jar.
const (
	InStep      = "in step"
	SpecChanged = "spec changed"
	JarDiffers  = "jar differs"
	NoRecord    = "no record"
)

// Here looks at what is in effect.
func (m *Machine) Here(ctx context.Context, ref string) (*Here, error) {
	place, err := m.Locate(ref, false)
	if err != nil {
		return nil, err
	}
	h := &Here{Jar: place.Root, Exists: place.Exists(), Why: place.Why, Name: place.Prompt(), Step: NoRecord}
	if m.Active != "" && clean(m.Active) != clean(place.Root) {
		h.Active = m.Active
	}
	spec, err := readSpec(place)
	if err != nil {
		return nil, err
	}
	if spec.Exists() {
		h.Spec = place.SpecFile
	}
	_, h.SampleOnly = m.indexes(spec)
	record, err := project.ReadRecord(place.RecordFile)
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return nil, err
	}
	if record != nil {
		h.Record = place.RecordFile
		h.Step = InStep
	}
	if !h.Exists {
		if record != nil {
			h.Step = JarDiffers
		}
		return h, nil
	}
	j, err := m.open(place)
	if err != nil {
		return nil, err
	}
	h.Python = pythonTitle(j)
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
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return JarDiffers
	}
	want := map[string]string{}
	for _, e := range record.Packages {
		if e.Marker.HoldsIn(in.Environment(), j.State.Parts.Extras, j.State.Parts.Groups) {
			want[e.Name] = e.Version.String()
		}
	}
	for _, d := range installed {
		if v, ok := want[d.Key()]; !ok || v != d.Version().String() {
			return JarDiffers
		}
		delete(want, d.Key())
	}
	if len(want) > 0 {
		return JarDiffers
	}
	return InStep
}

// Labelled is a jar's fingerprint and what it covers.
type Labelled struct {
	Jar      string `json:"jar"`
	Label    string `json:"label"`
	Python   string `json:"python"`
	Packages int    `json:"packages"`
}

// Label computes a jar's fingerprint from its files.
func (m *Machine) Label(ref string) (*Labelled, error) {
	place, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	out := &Labelled{Jar: place.Root, Python: pythonTitle(j), Packages: len(installed)}
	out.Label, err = j.Label(installed)
	return out, err
}

// Discarded tells which jars were removed.
type Discarded struct {
	Jars []string `json:"jars"`
	// Kept are specs and records of projects, which stay.
	Kept []string `json:"kept"`
}

// Discard removes jars, each named by its path or its name on the shelf. All
// are looked at before the first is removed. The folder itself is meant: a
// project's folder does not stand for its jar here.
func (m *Machine) Discard(refs []string) (*Discarded, error) {
	var places []Place
	for _, ref := range refs {
		root := ref
		if !strings.ContainsAny(ref, `/\`) && !strings.HasPrefix(ref, ".") {
			if shelf := filepath.Join(m.Folders.Shelf, ref); jar.Exists(shelf) {
				root = shelf
			}
		}
		if !filepath.IsAbs(root) {
			root = filepath.Join(m.Dir, root)
		}
		root = filepath.Clean(root)
		if err := jar.Discardable(root); err != nil {
			return nil, err
		}
		places = append(places, m.placeAt(root, Named))
	}
	out := &Discarded{Jars: []string{}, Kept: []string{}}
	for _, p := range places {
		if err := jar.Discard(p.Root); err != nil {
			return out, err
		}
		out.Jars = append(out.Jars, p.Root)
		for _, f := range []string{p.SpecFile, p.RecordFile} {
			if _, err := os.Stat(f); err == nil && p.Project != "" {
				out.Kept = append(out.Kept, f)
			}
		}
	}
	return out, nil
}
