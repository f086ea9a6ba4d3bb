package sample

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"fmt"

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
	add("pyproject.toml", fmt.Appendf(nil, "[project]\nname = %q\nversion = %q\n", d.name, v))
	for _, f := range d.sources(v, "") {
		add(f.Name, f.Data)
	}
	_ = t.Close()
	_ = z.Close()
	return d.file(r, stem+".tar.gz", b.Bytes(), nil)
}
