package plan

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"glassjar/core/digest"
	"glassjar/core/graph"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
	"glassjar/core/version"
)

// NoFittingFileError says that a record has no file for this interpreter.
type NoFittingFileError struct {
	Name, Version, Environment string
	// Sources tells that the record has a source distribution only.
	Sources bool
	// Kind is a kind of source that is not known.
	Kind string
}

func (e *NoFittingFileError) Error() string {
	return fmt.Sprintf("the record has no file of %s %s for %s", e.Name, e.Version, e.Environment)
}

// NotServedError says that a record was not made for this environment.
type NotServedError struct {
	Environment string
	Serves      []string
	// Why is the reason, if it is known.
	Why string
}

func (e *NotServedError) Error() string { return "the record does not serve " + e.Environment }

// Take looks at source of a record before it is chosen: whether it may be built, and what
// its version and hash are. Nil takes none.
type Take func(index.File) (index.File, error)

// FromRecord picks from the record what applies to an environment and to the
// parts that the jar holds.
func FromRecord(record *project.Record, env target.Environment, parts project.Parts, take Take) ([]Choice, error) {
	if err := Served(record, env); err != nil {
		return nil, err
	}
	applies, asked, err := Applying(record, env.Markers, parts)
	if err != nil {
		return nil, err
	}
	neededBy := map[string][]string{}
	for _, name := range slices.Sorted(maps.Keys(applies)) {
		for _, d := range applies[name].Dependencies {
			other := d.Version // of several versions the one that is not here
			if !(other.IsZero() || other.Equal(applies[d.Name].Version)) || slices.Contains(neededBy[d.Name], name) {
				continue
			}
			neededBy[d.Name] = append(neededBy[d.Name], name)
		}
	}
	var out []Choice
	present := map[string]version.Version{}
	for _, name := range slices.Sorted(maps.Keys(applies)) {
		e := applies[name]
		f, err := PickFile(record, e, env)
		if err == nil && f.IsSource() {
			f, err = take.source(f, e, env)
		}
		if err != nil {
			return nil, err
		}
		v := e.Version
		if v.IsZero() {
			v = f.Version
		}
		present[name] = v
		c := Choice{Name: name, Version: v, File: f, Asked: asked[name], NeededBy: neededBy[name]}
		if record.Ours() { // another program's may leave out what it likes
			c.Assumed = stated(f, env, present, record.SeeSystem)
		}
		if e.NeedsOf != "" && e.NeedsOf != project.EveryWheel && e.NeedsOf != f.Name && !f.IsSource() {
			c.Assumed = &Assumption{From: e.NeedsOf, environment: env, present: present, base: record.SeeSystem}
		}
		out = append(out, c)
	}
	return out, nil
}

// source is source that may be taken; the error is a [*NoFittingFileError] where none is.
func (take Take) source(f index.File, e project.Package, env target.Environment) (index.File, error) {
	if take == nil {
		return f, &NoFittingFileError{Name: e.Name, Version: e.Version.String(), Environment: env.Title, Sources: true}
	}
	return take(f)
}

// Served reports whether a record was made for an environment; the error is a
// [*NotServedError].
func Served(record *project.Record, env target.Environment) error {
	if len(record.Environments) == 0 {
		return nil
	}
	bad := &NotServedError{Environment: env.Title}
	for _, m := range record.Environments {
		if m.Holds(env.Markers) {
			return nil
		}
		bad.Serves = append(bad.Serves, m.String())
	}
	for _, l := range record.Left {
		if slices.Contains(l.Targets, env.Target) {
			bad.Why = l.Why
		}
	}
	return bad
}

// Applying are the entries of a record that belong into a jar with some parts of the spec, by name,
// and the names among them that a person asked for. Without the dependencies only what the chosen
// groups and extras lead to does; the record's own list of what was asked tells what that is. The
// error is a [*project.FileError] where two entries of one name apply.
func Applying(record *project.Record, markers requirement.Environment, parts project.Parts) (entries map[string]project.Package, asked map[string]bool, err error) {
	applies := map[string]project.Package{}
	for _, e := range record.Packages {
		if !e.Marker.HoldsIn(markers, parts.Extras, parts.Groups) {
			continue
		}
		if other, twice := applies[e.Name]; twice {
			return nil, nil, &project.FileError{File: record.File, Where: e.Name, Why: fmt.Sprintf("two entries apply here, %s and %s", other.Version, e.Version)}
		}
		applies[e.Name] = e
	}
	asked = askedIn(record, parts, func(m requirement.Marker) bool { return m.Holds(markers) })
	if parts.Only {
		led := ledTo(applies, asked)
		maps.DeleteFunc(applies, func(name string, _ project.Package) bool { return !led[name] })
	}
	return applies, asked, nil
}

// LedTo are the names that some parts of the spec lead to on any machine, as far as a record tells
// that.
func LedTo(record *project.Record, parts project.Parts) map[string]bool {
	all, names := map[string]project.Package{}, map[string]bool{}
	for _, e := range record.Packages {
		e.Dependencies = slices.Concat(e.Dependencies, all[e.Name].Dependencies) // of all versions
		all[e.Name], names[e.Name] = e, true
	}
	if parts.Only {
		return ledTo(all, askedIn(record, parts, func(requirement.Marker) bool { return true }))
	}
	return names
}

// askedIn are the names that a record says were asked for in some parts.
func askedIn(record *project.Record, parts project.Parts, holds func(requirement.Marker) bool) map[string]bool {
	out := map[string]bool{}
	for _, text := range record.Asked {
		p, rest := project.ReadAsks(text)
		if r, err := requirement.Parse(rest); err == nil && parts.Has(p) && holds(r.Marker) {
			out[r.Key()] = true
		}
	}
	return out
}

// ledTo are the names that some lead to by what entries need.
func ledTo(entries map[string]project.Package, from map[string]bool) map[string]bool {
	return graph.Below(slices.Collect(maps.Keys(from)), func(name string) (out []string) {
		for _, d := range entries[name].Dependencies {
			out = append(out, d.Name)
		}
		return out
	})
}

// PickFile chooses the file of an entry that serves an environment best.
// The error is a [*NoFittingFileError].
func PickFile(record *project.Record, e project.Package, env target.Environment) (index.File, error) {
	none := &NoFittingFileError{Name: e.Name, Version: e.Version.String(), Environment: env.Title}
	if e.VCS != nil && e.VCS.Type != "git" {
		none.Kind = e.VCS.Type
		return index.File{}, none
	}
	if !e.RequiresPython.Holds(env.Python) {
		return index.File{}, none
	}
	if e.Directory != nil || e.VCS != nil {
		return recordedTree(record, e), nil
	}
	list := e.Wheels
	if e.Archive != nil {
		list = []project.PackageFile{*e.Archive}
		if _, err := metadata.ParseWheelName(e.Archive.FileName()); err != nil {
			return RecordedFile(record, e, *e.Archive), nil
		}
	}
	var best index.File
	rank, found := 0, false
	for _, w := range list {
		name, err := metadata.ParseWheelName(w.FileName())
		if err != nil {
			continue
		}
		n, ok := env.Ranks.Best(name.Tags)
		if !ok || found && (n > rank || n == rank && !best.Wheel.Build.Less(name.Build)) {
			continue
		}
		best, rank, found = RecordedFile(record, e, w), n, true
	}
	if !found && e.Sdist != nil {
		return RecordedFile(record, e, *e.Sdist), nil
	}
	if !found {
		return index.File{}, none
	}
	return best, nil
}

// recordedTree is the folder or the repository of an entry.
func recordedTree(record *project.Record, e project.Package) index.File {
	f := index.File{Distribution: e.Name, Version: e.Version, Size: -1, Tree: &index.Tree{}}
	beside := func(path string) string {
		path = filepath.FromSlash(path)
		if !filepath.IsAbs(path) {
			path = filepath.Join(filepath.Dir(record.File), path)
		}
		return path
	}
	if d := e.Directory; d != nil {
		f.Tree.Folder, f.Tree.Editable, f.Tree.Own, f.Subdirectory = beside(d.Path), d.Editable, d.Path == ".", d.Subdirectory
		f.URL = metadata.FileURL(f.Tree.Folder)
		return f
	}
	v := e.VCS
	f.Tree.Repository, f.Tree.Requested, f.Tree.Commit, f.Subdirectory = v.URL, v.Requested, v.Commit, v.Subdirectory
	if v.URL == "" {
		f.Tree.Repository = metadata.FileURL(beside(v.Path))
	}
	f.URL = f.Tree.Repository
	return f
}

// RecordedFile is a file of an entry, as it is to be had.
func RecordedFile(record *project.Record, e project.Package, w project.PackageFile) index.File {
	f := index.LocalFile(record.LocalPath(w), w.Size)
	if w.Path == "" || w.URL != "" && !isThere(f.Path) {
		f.Path, f.URL = "", w.URL
		if path, ok := metadata.PathOf(w.URL); ok {
			f.Path = path
		}
	}
	f.Name, f.Hashes, f.Uploaded, f.Exact = w.FileName(), digest.SumsOf(w.Hashes), w.Uploaded, true
	if e.Archive == nil {
		f.Index = "record"
	}
	if name, err := metadata.ParseWheelName(f.Name); err == nil {
		f.Wheel, f.Distribution, f.Version = &name, name.Name, name.Version
	} else {
		f.Distribution, f.Version, f.Subdirectory = e.Name, e.Version, w.Subdirectory
	}
	return f
}

func isThere(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}

// WrongPythonError says that the jar's Python is not one the spec takes.
type WrongPythonError struct{ Environment, Requires, File string }

func (e *WrongPythonError) Error() string {
	return fmt.Sprintf("the jar has %s, and %s requires Python %s", e.Environment, e.File, e.Requires)
}

// CheckPython compares an environment with what a spec or a record requires; the error is
// a [*WrongPythonError].
func CheckPython(requires version.Specifiers, env target.Environment) error {
	if requires.Holds(env.Python) {
		return nil
	}
	return &WrongPythonError{env.Title, requires.String(), project.SpecFile}
}

// ToolFile is the package file of something that was built with, as a record names it; it
// has no Wheel where its name is none of a wheel.
func ToolFile(w project.BuiltWith) index.File {
	f := index.File{Name: w.File, Distribution: w.Name, URL: w.URL, Size: -1, Hashes: digest.Sums{SHA256: w.SHA256}, Index: "record"}
	f.Path, _ = metadata.PathOf(w.URL) // most are not on this machine
	if name, err := metadata.ParseWheelName(w.File); err == nil {
		f.Wheel, f.Version = &name, name.Version
	}
	return f
}
