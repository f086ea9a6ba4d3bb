package project

import (
	"cmp"
	"crypto/sha256"
	"fmt"
	"maps"
	"slices"
	"strings"

	"glassjar/core/digest"
)

// Label is a fingerprint of what a record says, for all its targets together: equal on every
// system, and whatever else stands in the file (addresses, times, names of files).
// docs/formats.md defines it line by line.
func (r *Record) Label() string {
	h := sha256.New()
	fmt.Fprintf(h, "glassjar record label 1\nsee-system %t\n", r.SeeSystem)
	for _, asked := range slices.Sorted(slices.Values(r.Asked)) {
		fmt.Fprintf(h, "asked %s\n", asked)
	}
	for _, one := range slices.SortedFunc(slices.Values(r.Pythons), func(a, b PinnedPython) int {
		return cmp.Or(strings.Compare(a.For, b.For), strings.Compare(a.SHA256, b.SHA256))
	}) {
		fmt.Fprintf(h, "python %s %s sha256:%s\n", one.For, one.Version, one.SHA256)
	}
	for _, p := range slices.SortedFunc(slices.Values(r.Packages), func(a, b Package) int {
		return cmp.Or(strings.Compare(a.Name, b.Name), a.Version.Compare(b.Version), strings.Compare(a.Marker.String(), b.Marker.String()))
	}) {
		fmt.Fprintf(h, "package %s %s\n", p.Name, p.Version)
		if !p.Marker.IsZero() {
			fmt.Fprintf(h, "marker %s\n", p.Marker)
		}
		for _, sum := range p.labelSums() {
			fmt.Fprintf(h, "file %s\n", sum)
		}
		if p.VCS != nil {
			fmt.Fprintf(h, "commit %s %s\n", p.VCS.Commit, p.VCS.Subdirectory)
		}
		if p.Directory != nil {
			fmt.Fprintf(h, "folder %s %s\n", p.Directory.Path, p.Directory.Subdirectory)
		}
	}
	return digest.Label(h.Sum(nil))
}

// labelSums are the hashes of a package's files, sorted: of each the SHA-256, or all that there
// are.
func (p Package) labelSums() (out []string) {
	files := slices.Clone(p.Wheels)
	for _, f := range []*PackageFile{p.Sdist, p.Archive} {
		if f != nil {
			files = append(files, *f)
		}
	}
	for _, f := range files {
		if sum, ok := f.Hashes[digest.SHA256]; ok {
			out = append(out, digest.SHA256+":"+sum)
			continue
		}
		for _, algorithm := range slices.Sorted(maps.Keys(f.Hashes)) {
			out = append(out, algorithm+":"+f.Hashes[algorithm])
		}
	}
	slices.Sort(out)
	return out
}
