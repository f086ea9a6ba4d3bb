package operation

import (
	"os"
	"slices"

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
)

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
