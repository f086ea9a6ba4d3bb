package sealed

import (
	"slices"
	"strings"

	"glassjar/core/index"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
)

// Record is a record with the files that are sealed for some targets, by paths beside it, and no
// others: it serves those targets alone.
func Record(record *project.Record, targets []target.Target, files []index.File, pythons []project.PinnedPython) *project.Record {
	in := map[string]index.File{}
	for _, f := range files {
		in[f.Name] = f
	}
	sealed := *record
	sealed.Packages, sealed.Built = nil, slices.Clone(record.Built)
	sealed.Pythons = slices.Clone(pythons)
	for i := range sealed.Pythons {
		sealed.Pythons[i].Path = sealed.Pythons[i].File
		if strings.HasPrefix(sealed.Pythons[i].URL, "file:") {
			sealed.Pythons[i].URL = "" // it means nothing elsewhere
		}
	}
	for i, one := range sealed.Built {
		if !sourceAlong(files, one) {
			sealed.Built[i].With = nil
		}
	}
	for _, e := range record.Packages {
		var wheels []project.PackageFile
		for _, w := range e.Wheels {
			if _, ok := in[w.FileName()]; ok {
				wheels = append(wheels, besides(w))
			}
		}
		e.Wheels = wheels
		if e.Sdist != nil {
			source := besides(*e.Sdist)
			e.Sdist = nil
			if _, ok := in[source.Name]; ok {
				e.Sdist = &source
			}
		}
		if e.Archive != nil {
			a := besides(*e.Archive)
			e.Archive = nil
			if _, ok := in[a.Name]; ok {
				e.Archive = &a
			}
		}
		if len(wheels) == 0 && e.Archive == nil && e.Sdist == nil {
			continue // for targets that were not asked for
		}
		e.Index = ""
		sealed.Packages = append(sealed.Packages, e)
	}
	sealed.Environments = narrowed(record, targets, len(sealed.Packages) < len(record.Packages))
	return &sealed
}

// narrowed are the environments of a record for some targets: its own where they are all of them.
// One that names none serves all, unless it is less than it was.
func narrowed(record *project.Record, targets []target.Target, less bool) []requirement.Marker {
	texts := func(list []requirement.Marker) (out []string) {
		for _, m := range list {
			out = append(out, m.String())
		}
		slices.Sort(out)
		return out
	}
	list := target.Environments(targets)
	if len(record.Environments) == 0 && !less || slices.Equal(texts(list), texts(record.Environments)) {
		return record.Environments
	}
	return list
}

func besides(f project.PackageFile) project.PackageFile {
	name := f.FileName()
	f.Name, f.Path = name, name
	if strings.HasPrefix(f.URL, "file:") {
		f.URL = "" // it means nothing elsewhere
	}
	return f
}

// Unsealed is the text of the record of a sealed jar as that of a jar made from it: by the
// addresses that the files came from. Where a file has none, there is no such record.
func Unsealed(sealed *project.Record) ([]byte, bool) {
	out := *sealed
	out.Packages, out.Built = nil, slices.Clone(sealed.Built)
	out.Pythons = slices.Clone(sealed.Pythons)
	for i := range out.Pythons {
		if out.Pythons[i].URL != "" {
			out.Pythons[i].Path = ""
		}
	}
	for i := range out.Built {
		out.Built[i].Wheel, out.Built[i].Libraries = "", nil
	}
	for _, e := range sealed.Packages {
		wheels := e.Wheels
		e.Wheels = nil
		for _, w := range wheels {
			if e.Sdist == nil || !builtHere(sealed, w.FileName()) {
				e.Wheels = append(e.Wheels, elsewhere(w))
			}
		}
		if e.Sdist != nil {
			s := elsewhere(*e.Sdist)
			e.Sdist = &s
		}
		if e.Archive != nil {
			a := elsewhere(*e.Archive)
			e.Archive = &a
		}
		out.Packages = append(out.Packages, e)
	}
	return out.Format(), !out.NamesPaths()
}

func elsewhere(f project.PackageFile) project.PackageFile {
	if f.URL != "" {
		f.Path = ""
	}
	return f
}
