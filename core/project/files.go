package project

import (
	"slices"
	"sort"
)

// Files are the package files that an entry names.
func (p Package) Files() []PackageFile {
	list := append([]PackageFile(nil), p.Wheels...)
	for _, f := range []*PackageFile{p.Sdist, p.Archive} {
		if f != nil {
			list = append(list, *f)
		}
	}
	return list
}

// Files are all files that a record names, by their paths: package files, those of interpreters, and
// those that others are built with.
func (r *Record) Files() []PackageFile {
	var out []PackageFile
	for _, e := range r.Packages {
		out = append(out, e.Files()...)
	}
	for _, one := range r.Pythons {
		out = append(out, PackageFile{Name: one.File, Path: one.Path, Hashes: map[string]string{"sha256": one.SHA256}})
	}
	for _, one := range r.Built {
		for _, w := range one.With {
			out = append(out, PackageFile{Name: w.File, Path: w.File, Hashes: map[string]string{"sha256": w.SHA256}})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Path < out[j].Path })
	return slices.CompactFunc(out, func(a, b PackageFile) bool { return a.Path == b.Path })
}

// NamesPaths reports whether a record names files by paths beside it: it is true at its own place
// only.
func (r *Record) NamesPaths() bool {
	return slices.ContainsFunc(r.Files(), func(f PackageFile) bool { return f.Path != "" })
}
