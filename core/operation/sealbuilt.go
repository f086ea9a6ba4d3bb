package operation

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"glassjar/core/building"
	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
	"glassjar/core/target"
)

// LackingError says that a wheel which was built on another machine needs what this one
// lacks: its tag promises nothing.
type LackingError struct {
	Name string
	// Lacking are shared libraries, and versions of the C library such as GLIBC_2.36.
	Lacking []string
}

func (e *LackingError) Error() string {
	return e.Name + " was built on a machine that has " + strings.Join(e.Lacking, ", ")
}

// FromFolderError says that something cannot be sealed as it is: it is a folder of this
// machine, or a repository.
type FromFolderError struct{ Names []string }

func (e *FromFolderError) Error() string {
	return strings.Join(e.Names, ", ") + ": a folder or a repository is no package file"
}

// withBuilt is a record in which what the jar was built with from source is a wheel too, and
// those wheels.
func (m *Machine) withBuilt(at place.Place, record *project.Record) (*project.Record, []index.File, error) {
	j, err := m.open(at)
	if err != nil {
		return nil, nil, err
	}
	last, _, err := j.LastMoment()
	if err != nil {
		return nil, nil, err
	}
	out := *record
	out.Packages, out.Built = slices.Clone(record.Packages), slices.Clone(record.Built)
	var files []index.File
	for _, p := range last.Packages {
		made, wheel, ok := m.kept().OfWheel(p.Built)
		i := slices.IndexFunc(out.Packages, func(e project.Package) bool { return e.Name == p.Name })
		if p.Built == "" || !ok || i < 0 {
			continue
		}
		info, err := os.Stat(wheel)
		if err != nil {
			return nil, nil, err
		}
		name, err := metadata.ParseWheelName(made.File)
		if err != nil {
			return nil, nil, err
		}
		sums := map[string]string{"sha256": made.SHA256}
		files = append(files, index.File{Name: made.File, Distribution: p.Name, Version: name.Version, Wheel: &name, Path: wheel, URL: metadata.FileURL(wheel), Size: info.Size(), Hashes: digest.SumsOf(sums)})
		e := &out.Packages[i]
		e.Wheels = append(slices.Clone(e.Wheels), project.PackageFile{Name: made.File, Path: made.File, Size: info.Size(), Hashes: sums})
		if e.Archive != nil {
			e.Sdist, e.Archive = e.Archive, nil
		}
		e.Version, e.Directory, e.VCS = name.Version, nil, nil
		out.Built = noteWheel(out.Built, p.Name, made)
	}
	return &out, files, nil
}

// servedByBuilt are the targets for which there is a file of everything: what was built here
// serves systems such as this one. Where there is none it is all of them, and why is told.
func servedByBuilt(record *project.Record, targets []target.Target) []target.Target {
	out := slices.DeleteFunc(slices.Clone(targets), func(t target.Target) bool {
		_, err := sealFiles(record, []target.Target{t})
		return err != nil
	})
	if len(out) == 0 {
		return targets
	}
	return out
}

// noteWheel says in the tables of what was built which wheel it is, and what that needs.
func noteWheel(list []project.Built, name string, made source.Made) []project.Built {
	for i := range list {
		if requirement.Normalize(list[i].Name) == name {
			list[i].Wheel, list[i].Libraries = made.File, made.Libraries
			return list
		}
	}
	return append(list, project.Built{Name: name, Version: made.Version, Wheel: made.File, Libraries: made.Libraries})
}

// fromFolders refuses to seal what is no package file.
func fromFolders(record *project.Record) error {
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

// toolFiles are the package files that sealed sources are built with.
func toolFiles(record *project.Record, files []index.File) []index.File {
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
			out = append(out, building.ToolFile(w))
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

// checkBuilt compares what a wheel needs that was built elsewhere with what is here.
func checkBuilt(ctx context.Context, record *project.Record, f index.File, in interpreter.Interpreter) error {
	for _, one := range record.Built {
		if one.Wheel != f.Name || one.Wheel == "" || in.OS() != "linux" {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		e := &LackingError{Name: one.Name}
		for _, name := range one.Libraries {
			var major, minor int
			if n, _ := fmt.Sscanf(name, "GLIBC_%d.%d", &major, &minor); n == 2 {
				if in.Libc == "glibc" && (in.LibcMajor > major || in.LibcMajor == major && in.LibcMinor >= minor) {
					continue
				}
			} else if source.HasLibrary(name) {
				continue
			}
			e.Lacking = append(e.Lacking, name)
		}
		if len(e.Lacking) > 0 {
			return e
		}
	}
	return nil
}
