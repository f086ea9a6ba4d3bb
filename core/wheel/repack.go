package wheel

import (
	"archive/zip"
	"crypto/sha256"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"glassjar/core/metadata"
)

// Repack writes a wheel anew, so that the same contents give the same bytes: members
// sorted, unpacked and dated to the format's first day, folders left out, RECORD made of
// what is there. Signatures of RECORD do not come along.
func Repack(from string, to io.Writer) error {
	z, err := zip.OpenReader(from)
	if err != nil {
		return err
	}
	defer z.Close()
	var files []*zip.File
	info := ""
	for _, f := range z.File {
		name := f.Name
		if top, rest, ok := strings.Cut(name, "/"); ok && strings.HasSuffix(top, ".dist-info") {
			if info != "" && info != top {
				return fmt.Errorf("it has two descriptions, %s and %s", info, top)
			}
			info = top
			if rest == "RECORD" || rest == "RECORD.jws" || rest == "RECORD.p7s" {
				continue
			}
		}
		if !strings.HasSuffix(name, "/") {
			files = append(files, f)
		}
	}
	if info == "" {
		return fmt.Errorf("it has no .dist-info folder")
	}
	inside := func(f *zip.File) bool { return strings.HasPrefix(f.Name, info+"/") }
	slices.SortFunc(files, func(a, b *zip.File) int {
		if inside(a) != inside(b) {
			if inside(b) {
				return -1
			}
			return 1
		}
		return strings.Compare(a.Name, b.Name)
	})
	out := zip.NewWriter(to)
	var record []metadata.RecordEntry
	for _, f := range files {
		e, err := repackOne(out, f)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		record = append(record, e)
	}
	own := path.Join(info, "RECORD")
	record = append(record, metadata.RecordEntry{Path: own, Size: -1})
	if err := writeMember(out, File{Path: own, Data: metadata.FormatRecord(record)}, false); err != nil {
		return err
	}
	return out.Close()
}

func repackOne(out *zip.Writer, f *zip.File) (e metadata.RecordEntry, err error) {
	in, err := f.Open()
	if err != nil {
		return e, err
	}
	defer in.Close()
	h := header(f.Name, f.Mode()&0o111 != 0, false)
	w, err := out.CreateHeader(h)
	if err != nil {
		return e, err
	}
	sum := sha256.New()
	n, err := io.Copy(io.MultiWriter(w, sum), in)
	return metadata.RecordEntry{Path: f.Name, Hash: metadata.RecordHash([sha256.Size]byte(sum.Sum(nil))), Size: n}, err
}

// RepackFile is [Repack] into a file that is not there yet.
func RepackFile(from, to string) error {
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	err = Repack(from, out)
	if err2 := out.Close(); err == nil {
		err = err2
	}
	return err
}
