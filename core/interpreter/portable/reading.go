package portable

import (
	"archive/tar"
	"archive/zip"
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"strings"

	"github.com/klauspost/compress/gzip" // faster than the standard library's
	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"

	"glassjar/core/digest"
	"glassjar/core/limits"
)

// read lists the members of an archive.
func (a *Archive) read(ctx context.Context, f *os.File, temp string) ([]entry, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, a.refuse("", "it is not a file")
	}
	low := strings.ToLower(a.Name.File)
	if strings.HasSuffix(low, ".zip") || strings.HasSuffix(low, ".pybi") {
		return a.readZip(f, info.Size())
	}
	most := min(limits.Python, max(limits.SourceRatio*info.Size(), 64<<20))
	plain, err := a.plain(ctx, f, low, temp, most)
	if err != nil {
		return nil, err
	}
	return a.readTar(plain)
}

func (a *Archive) readZip(f *os.File, size int64) ([]entry, error) {
	z, err := zip.NewReader(f, size)
	if err != nil {
		return nil, a.refuse("", "it is damaged: "+err.Error())
	}
	if len(z.File) > limits.PythonFiles {
		return nil, &limits.Error{What: a.Name.File, Limit: limits.PythonFiles, Unit: "files"}
	}
	var out []entry
	var all int64
	for _, m := range z.File {
		if all += int64(m.UncompressedSize64); all > limits.Python || all < 0 || all > 64<<20 && all > limits.SourceRatio*size {
			return nil, &limits.Error{What: a.Name.File, Limit: min(limits.Python, limits.SourceRatio*size), Unit: "bytes, unpacked"}
		}
		e := entry{path: m.Name, mode: m.Mode(), size: int64(m.UncompressedSize64), open: m.Open}
		if m.Mode()&fs.ModeSymlink != 0 {
			body, err := m.Open()
			if err != nil {
				return nil, a.refuse(m.Name, "it is damaged: "+err.Error())
			}
			target, err := limits.ReadAll(body, m.Name, 4096)
			body.Close()
			if err != nil || len(target) == 0 {
				return nil, a.refuse(m.Name, "it is no link that can be read")
			}
			e.link = string(target)
		}
		out = append(out, e)
	}
	return out, nil
}

// plain unpacks what packs a tar, to a file in which members can be found.
func (a *Archive) plain(ctx context.Context, f *os.File, low, temp string, most int64) (*os.File, error) {
	in := digest.WithContext(ctx, f)
	var packed io.Reader
	var err error
	switch {
	case strings.HasSuffix(low, ".zst"):
		var z *zstd.Decoder
		if z, err = zstd.NewReader(in, zstd.WithDecoderMaxMemory(1<<30)); err == nil {
			defer z.Close()
			packed = z
		}
	case strings.HasSuffix(low, ".xz"):
		packed, err = xz.NewReader(in)
	default:
		packed, err = gzip.NewReader(in)
	}
	if err != nil {
		return nil, a.refuse("", "it is damaged: "+err.Error())
	}
	out, err := os.OpenFile(temp, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	a.closers = append(a.closers, func() {
		out.Close()
		os.Remove(temp)
	})
	n, err := io.Copy(out, io.LimitReader(packed, most+1))
	var system *fs.PathError
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &system):
		return nil, err
	case err != nil:
		return nil, a.refuse("", "it is damaged: "+err.Error())
	case n > most:
		return nil, &limits.Error{What: a.Name.File, Limit: most, Unit: "bytes, unpacked"}
	}
	_, err = out.Seek(0, io.SeekStart)
	return out, err
}

// place is a reader that knows how far it has read.
type place struct {
	f  *os.File
	at int64
}

func (p *place) Read(b []byte) (int, error) {
	n, err := p.f.Read(b)
	p.at += int64(n)
	return n, err
}

func (p *place) Seek(offset int64, whence int) (n int64, err error) {
	p.at, err = p.f.Seek(offset, whence)
	return p.at, err
}

func (a *Archive) readTar(f *os.File) ([]entry, error) {
	at := &place{f: f}
	r := tar.NewReader(at)
	var out []entry
	for {
		h, err := r.Next()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return nil, a.refuse("", "it is damaged: "+err.Error())
		}
		if len(out) >= limits.PythonFiles {
			return nil, &limits.Error{What: a.Name.File, Limit: limits.PythonFiles, Unit: "files"}
		}
		e := entry{path: h.Name, mode: h.FileInfo().Mode(), size: h.Size}
		switch h.Typeflag {
		case tar.TypeXGlobalHeader:
			continue
		case tar.TypeLink:
			e.link, e.hard, e.mode = h.Linkname, true, 0o644
		case tar.TypeSymlink:
			e.link = h.Linkname
		case tar.TypeReg:
			from := at.at
			e.open = func() (io.ReadCloser, error) { return io.NopCloser(io.NewSectionReader(f, from, h.Size)), nil }
		case tar.TypeGNUSparse:
			return nil, a.refuse(h.Name, "it has holes, which this program does not unpack")
		}
		out = append(out, e)
	}
}
