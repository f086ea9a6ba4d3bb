package wheel

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"sort"
	"strings"

	"glassjar/core/metadata"
	"glassjar/core/version"
)

// File is one member to be written.
type File struct {
	// Path is the member's path in the archive.
	Path string
	Data []byte
	// Executable marks the member as a program.
	Executable bool
}

// Spec is what a wheel is made of.
type Spec struct {
	// Name is the distribution's name as its metadata writes it.
	Name    string
	Version version.Version
	// Build is the build tag, or empty.
	Build string
	// Tag is the tag set of the file name, such as "py3-none-any".
	Tag string
	// Platlib puts the root of the archive into the platform's site folder.
	Platlib bool
	// Packed deflates the members; the bytes then depend on the compiler's version.
	Packed bool
	// Metadata is the METADATA file.
	Metadata []byte
	// EntryPoints is entry_points.txt, or empty.
	EntryPoints []byte
	// Files are the other members.
	Files []File
}

// FileName is the wheel's name.
func (s Spec) FileName() string {
	parts := []string{metadata.EscapeName(s.Name), s.Version.String()}
	if s.Build != "" {
		parts = append(parts, s.Build)
	}
	return strings.Join(append(parts, s.Tag), "-") + ".whl"
}

// InfoFolder is the name of the wheel's .dist-info folder.
func (s Spec) InfoFolder() string {
	return metadata.EscapeName(s.Name) + "-" + s.Version.String() + ".dist-info"
}

// Write makes the wheel. Equal specs give equal bytes on every system and with
// every version of the compiler: members are sorted, stored without packing
// unless asked for (packers change), and dated to the format's first day.
func Write(to io.Writer, s Spec) error {
	info := s.InfoFolder() + "/"
	files := append([]File(nil), s.Files...)
	files = append(files, File{Path: info + "METADATA", Data: s.Metadata}, File{Path: info + "WHEEL", Data: s.format()})
	if len(s.EntryPoints) > 0 {
		files = append(files, File{Path: info + "entry_points.txt", Data: s.EntryPoints})
	}
	// The format recommends that .dist-info stands last.
	sort.Slice(files, func(i, j int) bool {
		a, b := strings.HasPrefix(files[i].Path, info), strings.HasPrefix(files[j].Path, info)
		if a != b {
			return b
		}
		return files[i].Path < files[j].Path
	})
	record := []metadata.RecordEntry{{Path: info + "RECORD", Size: -1}}
	for _, f := range files {
		record = append(record, metadata.RecordEntry{Path: f.Path, Hash: metadata.RecordHash(sha256.Sum256(f.Data)), Size: int64(len(f.Data))})
	}
	files = append(files, File{Path: info + "RECORD", Data: metadata.FormatRecord(record)})
	z := zip.NewWriter(to)
	for _, f := range files {
		if err := writeMember(z, f, s.Packed); err != nil {
			return fmt.Errorf("%s: %w", f.Path, err)
		}
	}
	return z.Close()
}

func writeMember(z *zip.Writer, f File, packed bool) error {
	w, err := z.CreateHeader(header(f.Path, f.Executable, packed))
	if err != nil {
		return err
	}
	_, err = w.Write(f.Data)
	return err
}

// header is a member's, with the format's first day as its time.
func header(path string, executable, packed bool) *zip.FileHeader {
	// Without a time of its own, a header has the date 1980-01-01 when given so.
	//lint:ignore SA1019 Modified would add a field with the time to each header
	h := &zip.FileHeader{Name: path, Method: zip.Store, ModifiedDate: 1<<5 | 1}
	if packed {
		h.Method = zip.Deflate
	}
	h.SetMode(0o644)
	if executable {
		h.SetMode(0o755)
	}
	return h
}

func (s Spec) format() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "Wheel-Version: 1.0\nGenerator: glassjar\nRoot-Is-Purelib: %t\n", !s.Platlib)
	parts := strings.Split(s.Tag, "-")
	for _, i := range strings.Split(parts[0], ".") {
		for _, a := range strings.Split(parts[1], ".") {
			for _, p := range strings.Split(parts[2], ".") {
				fmt.Fprintf(&b, "Tag: %s-%s-%s\n", i, a, p)
			}
		}
	}
	if s.Build != "" {
		fmt.Fprintf(&b, "Build: %s\n", s.Build)
	}
	return b.Bytes()
}
