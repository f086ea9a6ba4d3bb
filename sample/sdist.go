package sample

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"fmt"
	"maps"
	"slices"

	"glassjar/core/metadata"
	"glassjar/core/version"
)

// sdist is a source distribution (PEP 625), packed without compression, so
// that its bytes do not depend on the compiler's library.
func (d distribution) sdist(r release, v version.Version) File {
	stem := metadata.EscapeName(d.name) + "-" + v.String()
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.NoCompression)
	if err != nil {
		panic(err) // the level is one that the package has
	}
	t := tar.NewWriter(z)
	add := func(name string, data []byte) {
		h := &tar.Header{Name: stem + "/" + name, Mode: 0o644, Size: int64(len(data)), ModTime: r.Uploaded.UTC(), Format: tar.FormatUSTAR}
		if err := t.WriteHeader(h); err != nil {
			panic(fmt.Sprintf("sample: %s: %v", name, err))
		}
		_, _ = t.Write(data) // a bytes.Buffer takes all
	}
	add("PKG-INFO", d.metadata(r, v))
	add("pyproject.toml", d.project(r, v))
	for _, f := range d.sources(v, "") {
		add(f.Name, f.Data)
	}
	_ = t.Close()
	_ = z.Close()
	return d.file(r, stem+".tar.gz", b.Bytes(), nil)
}

// project is the pyproject.toml of a source distribution, which the sample's own back end
// makes a wheel of.
func (d distribution) project(r release, v version.Version) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "[build-system]\nrequires = [\"orchard-mill\"]\nbuild-backend = \"orchard_mill\"\n\n[project]\nname = %q\nversion = %q\ndescription = %q\n", d.name, v, d.Summary)
	if r.RequiresPython != "" {
		fmt.Fprintf(&b, "requires-python = %q\n", r.RequiresPython)
	}
	b.WriteString("dependencies = [")
	for i, text := range r.Requires {
		if i > 0 {
			b.WriteString(", ")
		}
		fmt.Fprintf(&b, "%q", text)
	}
	b.WriteString("]\n")
	if len(d.Scripts) > 0 {
		b.WriteString("\n[project.scripts]\n")
		for _, name := range slices.Sorted(maps.Keys(d.Scripts)) {
			fmt.Fprintf(&b, "%s = %q\n", name, d.Scripts[name])
		}
	}
	return b.Bytes()
}
