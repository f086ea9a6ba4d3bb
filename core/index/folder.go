package index

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"sync"

	"glassjar/core/digest"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
)

// Folder is a folder of package files, those in its direct subfolders
// included. It is read once.
type Folder struct {
	name, dir string
	once      sync.Once
	files     map[string][]File
	// misnamed are wheels whose names say no more than of what they are, by distribution.
	misnamed map[string][]File
	err      error
	mu       sync.Mutex
	hashed   map[string]string
	sums     *digest.Files
	// sumsFile is where hashes are kept, empty for nowhere; kept are those in it,
	// and learned tells that there are new ones.
	sumsFile string
	kept     map[string]keptSum
	learned  map[string]keptSum
	// within leaves out links that lead out of the folder.
	within bool
}

// Within leaves out links that lead out of the folder: for a folder that others may ask
// for its files.
func (d *Folder) Within() *Folder {
	d.within = true
	return d
}

// leadsOut reports whether a file is a link that leads out of the folder.
func (d *Folder) leadsOut(file string) bool {
	real, err := filepath.EvalSymlinks(file)
	top, err2 := filepath.EvalSymlinks(d.dir)
	if err != nil || err2 != nil {
		return true
	}
	rel, err := filepath.Rel(top, real)
	return err != nil || !filepath.IsLocal(rel)
}

// NewFolder makes an index of a folder.
func NewFolder(name, dir string) *Folder {
	return &Folder{name: name, dir: dir, hashed: map[string]string{}, sums: &digest.Files{}}
}

// Name is what the user calls the index.
func (d *Folder) Name() string { return d.name }

// Address is the folder.
func (d *Folder) Address() string { return d.dir }

func (d *Folder) load() error {
	d.once.Do(func() {
		d.files, d.misnamed = map[string][]File{}, map[string][]File{}
		info, err := os.Stat(d.dir)
		if err != nil || !info.IsDir() {
			d.err = &NotIndexError{d.dir, "there is no such folder"}
			return
		}
		for _, pattern := range []string{"*", "*/*"} {
			found, _ := filepath.Glob(filepath.Join(globEscape(d.dir), pattern)) // well-formed
			for _, p := range found {
				d.add(p)
			}
		}
	})
	return d.err
}

func globEscape(path string) string {
	if os.PathSeparator == '\\' {
		return path
	}
	return strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, `\`, `\\`).Replace(path)
}

func (d *Folder) add(p string) {
	info, err := os.Stat(p)
	if err != nil || !info.Mode().IsRegular() || d.within && d.leadsOut(p) {
		return
	}
	f := LocalFile(p, info.Size())
	f.Index = d.name
	switch name, _, _ := strings.Cut(f.Name, "-"); {
	case f.describe(""):
		f.HasMetadata = f.Wheel != nil
		d.files[f.Distribution] = append(d.files[f.Distribution], f)
	case strings.HasSuffix(f.Name, ".whl") && requirement.ValidName(name):
		f.Distribution = requirement.Normalize(name)
		d.misnamed[f.Distribution] = append(d.misnamed[f.Distribution], f)
	}
}

// LocalFile describes a file on this machine; its hash is not known yet.
func LocalFile(path string, size int64) File {
	f := File{Name: filepath.Base(path), Path: path, URL: metadata.FileURL(path), Size: size}
	f.describe("")
	return f
}

// Files lists a distribution's files, each with its hash.
func (d *Folder) Files(ctx context.Context, name string) ([]File, error) {
	if err := d.load(); err != nil {
		return nil, err
	}
	list, ok := d.files[name]
	if !ok {
		return d.misnamed[name], fmt.Errorf("%s: %w", name, ErrUnknownName)
	}
	defer d.saveSums()
	out := append([]File(nil), list...)
	for i := range out {
		sum, err := d.hash(ctx, out[i].Path)
		if err != nil {
			return nil, err
		}
		out[i].Hashes = digest.Sums{SHA256: sum}
	}
	return append(out, d.misnamed[name]...), nil
}

// Names are the distributions of which the folder has files.
func (d *Folder) Names(context.Context) ([]string, error) {
	if err := d.load(); err != nil {
		return nil, err
	}
	var names []string
	for n := range d.files {
		names = append(names, n)
	}
	sort.Strings(names)
	return names, nil
}

// Metadata reads METADATA out of the wheel.
func (d *Folder) Metadata(_ context.Context, f File) ([]byte, error) { return WheelMetadata(f.Path) }

// Open opens the file.
func (d *Folder) Open(_ context.Context, f File) (io.ReadCloser, error) { return os.Open(f.Path) }

// WheelMetadata reads METADATA out of a wheel on this machine.
func WheelMetadata(path string) ([]byte, error) {
	z, err := zip.OpenReader(path)
	if err != nil {
		return nil, errors.Join(metadata.Invalid("%s is not a wheel", filepath.Base(path)), err)
	}
	defer z.Close()
	return metadataOf(&z.Reader, filepath.Base(path))
}

func metadataOf(z *zip.Reader, name string) ([]byte, error) {
	for _, f := range z.File {
		dir, file, ok := strings.Cut(f.Name, "/")
		if !ok || file != "METADATA" || !strings.HasSuffix(dir, ".dist-info") {
			continue
		}
		r, err := f.Open()
		if err != nil {
			return nil, err
		}
		defer r.Close()
		data, err := io.ReadAll(io.LimitReader(r, limits.Metadata+1))
		if err == nil && len(data) > limits.Metadata {
			err = metadata.Invalid("the METADATA of %s is too large", name)
		}
		return data, err
	}
	return nil, metadata.Invalid("%s has no METADATA", name)
}
