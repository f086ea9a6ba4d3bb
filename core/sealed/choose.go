package sealed

import (
	"maps"
	"slices"
	"strings"

	"glassjar/core/index"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
)

// Targets are those of a spec that a record serves, or those of them that are asked for: platforms,
// such as "linux-x86_64", or targets with a Python, such as "linux-x86_64 3.12". all are those of
// the spec.
func Targets(record *project.Record, spec *project.Spec, asked []string) (served, all []target.Target, err error) {
	if all, err = target.All(spec.Tool.Targets, spec.RequiresPython); err != nil {
		return nil, nil, err
	}
	for _, t := range all {
		env := t.Environment()
		if plan.Served(record, env) != nil || !record.RequiresPython.Holds(env.Python) {
			continue
		}
		if len(asked) == 0 || slices.Contains(asked, t.Platform()) || slices.Contains(asked, t.String()) {
			served = append(served, t)
		}
	}
	return served, all, nil
}

// Files are the package files that the targets need, each once, by name.
func Files(record *project.Record, targets []target.Target) ([]index.File, error) {
	byName := map[string]index.File{}
	for _, t := range targets {
		env := t.Environment()
		for _, e := range record.Packages {
			if !holdsForSome(record, e, env) {
				continue
			}
			f, err := plan.PickFile(record, e, env)
			if err != nil {
				return nil, err
			}
			byName[f.Name] = f
			if e.Sdist != nil && builtHere(record, f.Name) {
				f = plan.RecordedFile(record, e, *e.Sdist) // its source goes along
				byName[f.Name] = f
			}
		}
	}
	var out []index.File
	for _, name := range slices.Sorted(maps.Keys(byName)) {
		out = append(out, byName[name])
	}
	return out, nil
}

// builtHere reports whether a wheel is one that was built.
func builtHere(record *project.Record, file string) bool {
	return slices.ContainsFunc(record.Built, func(b project.Built) bool { return b.Wheel == file })
}

// Join adds files, in place of those of the same name.
func Join(files, more []index.File) []index.File {
	return append(slices.DeleteFunc(files, func(f index.File) bool {
		return slices.ContainsFunc(more, func(o index.File) bool { return o.Name == f.Name })
	}), more...)
}

// holdsForSome reports whether an entry applies in an environment with whatever
// groups and extras.
func holdsForSome(record *project.Record, e project.Package, env target.Environment) bool {
	return e.Marker.HoldsIn(env.Markers, record.Extras, record.Groups) || e.Marker.HoldsIn(env.Markers, nil, nil)
}

// ToolFiles are the package files that sealed sources are built with.
func ToolFiles(record *project.Record, files []index.File) []index.File {
	seen := map[string]bool{}
	for _, f := range files {
		seen[f.Name] = true
	}
	var out []index.File
	for _, one := range record.Built {
		if !sourceAlong(files, one) {
			continue
		}
		for _, w := range one.With {
			if w.File == "" || w.SHA256 == "" || seen[w.File] {
				continue
			}
			seen[w.File] = true
			out = append(out, plan.ToolFile(w))
		}
	}
	return out
}

// sourceAlong reports whether the source of something that was built is among the files.
func sourceAlong(files []index.File, of project.Built) bool {
	return slices.ContainsFunc(files, func(f index.File) bool {
		return f.IsSource() && f.Distribution == requirement.Normalize(of.Name)
	})
}

// ServedByBuilt are the targets for which there is a file of everything: what was built here
// serves systems such as this one. Where there is none it is all of them, and why is told.
func ServedByBuilt(record *project.Record, targets []target.Target) []target.Target {
	out := slices.DeleteFunc(slices.Clone(targets), func(t target.Target) bool {
		_, err := Files(record, []target.Target{t})
		return err != nil
	})
	if len(out) == 0 {
		return targets
	}
	return out
}

// FromFolderError says that something cannot be sealed as it is: it is a folder of this
// machine, or a repository.
type FromFolderError struct{ Names []string }

func (e *FromFolderError) Error() string {
	return strings.Join(e.Names, ", ") + ": a folder or a repository is no package file"
}

// CheckFolders refuses to seal what is no package file.
func CheckFolders(record *project.Record) error {
	e := &FromFolderError{}
	for _, p := range record.Packages {
		if p.Directory != nil || p.VCS != nil {
			e.Names = append(e.Names, p.Name)
		}
	}
	if len(e.Names) > 0 {
		return e
	}
	return nil
}

// Pythons are the files of the interpreters that a record pins for some targets.
func Pythons(record *project.Record, targets []target.Target) (out []project.PinnedPython) {
	for _, one := range record.Pythons {
		if slices.ContainsFunc(targets, func(t target.Target) bool { return t.Platform() == one.For }) {
			out = append(out, one)
		}
	}
	return out
}
