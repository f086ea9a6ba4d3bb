package index

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"path"
	"slices"
	"strings"

	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// Inside is what a wheel has inside, as its list of members and its entry points
// tell without unpacking it.
type Inside struct {
	// Imports are the names under which its modules are imported.
	Imports []string `json:"imports"`
	// Scripts are the commands that it puts into a jar.
	Scripts []string `json:"scripts"`
}

// WheelInside looks into a wheel on this machine.
func WheelInside(file string) (Inside, error) {
	z, err := zip.OpenReader(file)
	if err != nil {
		return Inside{}, metadata.Invalid("%s is not a wheel: %v", path.Base(file), err)
	}
	defer z.Close()
	return insideOf(&z.Reader), nil
}

// Inside looks into a wheel of the folder.
func (d *Folder) Inside(_ context.Context, f File) (Inside, error) { return WheelInside(f.Path) }

// Inside looks into a wheel of the sample.
func (Sample) Inside(_ context.Context, f File) (Inside, error) {
	s, err := find(f.Name)
	if err != nil {
		return Inside{}, err
	}
	z, err := zip.NewReader(bytes.NewReader(s.Data), int64(len(s.Data)))
	if err != nil {
		return Inside{}, metadata.Invalid("%s is not a wheel: %v", f.Name, err)
	}
	return insideOf(z), nil
}

// Inside looks into a wheel on the server by range requests. The error is
// [fetch.ErrNoRanges] where the server gives no parts of files.
func (s *Server) Inside(ctx context.Context, f File) (Inside, error) {
	remote, err := s.client.Remote(ctx, f.Ask())
	if err != nil {
		return Inside{}, err
	}
	z, err := zip.NewReader(remote, remote.Size())
	if err != nil {
		return Inside{}, damaged(ctx, f, err)
	}
	return insideOf(z), nil
}

func insideOf(z *zip.Reader) Inside {
	var modules, scripts []string
	for _, f := range z.File {
		top, rest, _ := strings.Cut(f.Name, "/")
		switch {
		case strings.HasSuffix(top, ".data"):
			scheme, file, _ := strings.Cut(rest, "/")
			switch scheme {
			case "purelib", "platlib":
				modules = append(modules, file)
			case "scripts":
				scripts = append(scripts, file)
			}
		case strings.HasSuffix(top, ".dist-info"):
			if rest == "entry_points.txt" {
				scripts = append(scripts, scriptsOf(f)...)
			}
		default:
			modules = append(modules, f.Name)
		}
	}
	return NewInside(modules, scripts)
}

// NewInside is what modules, as paths below a site folder, and scripts come to.
func NewInside(modules, scripts []string) Inside {
	slices.Sort(scripts)
	return Inside{append([]string{}, metadata.ImportNames(modules)...), append([]string{}, slices.Compact(scripts)...)}
}

// scriptsOf are the commands among a wheel's entry points; none where these
// cannot be read.
func scriptsOf(f *zip.File) []string {
	r, err := f.Open()
	if err != nil {
		return nil
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, limits.Metadata))
	if err != nil {
		return nil
	}
	list, _ := metadata.ParseEntryPoints(data) // the others have no script
	var out []string
	for _, e := range list {
		if ok, err := e.Script(); err == nil && ok {
			out = append(out, e.Name)
		}
	}
	return out
}
