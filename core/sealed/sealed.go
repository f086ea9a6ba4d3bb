// Package sealed is the format of sealed jars: one zip, or one artifact in an OCI registry, with a
// record and every package file that it names, for machines that reach no index. In a zip the record
// comes first, as pylock.toml, its signature beside it, and each file under its own name, where the
// record's paths lead; nothing is packed twice. Which files a record's targets need, and what of the
// record goes along, is chosen here too.
package sealed

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"glassjar/core/digest"
	"glassjar/core/limits"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/signature"
)

// Jar is one that was opened: a file, or in a registry.
type Jar struct {
	// Text is that of the record.
	Text   []byte
	Record *project.Record
	// Remote is what is in a registry, nil for a file.
	Remote *registry.Artifact

	// zip has the members of a file, by name.
	zip   *zip.ReadCloser
	names map[string]*zip.File
}

// InRegistry is one that is in a registry. Paths in its record are below dir.
func InRegistry(a *registry.Artifact, dir string) (*Jar, error) {
	record, err := project.ParseRecord(filepath.Join(dir, project.RecordFile), a.Record)
	if err != nil {
		return nil, err
	}
	return &Jar{Text: a.Record, Record: record, Remote: a}, nil
}

// Close ends the use of it.
func (s *Jar) Close() {
	if s.zip != nil {
		s.zip.Close()
	}
}

// OpenFile opens a file. The error is a [*project.FileError] where it is no sealed jar.
func OpenFile(file string) (*Jar, error) {
	not := func(why string) error {
		return &project.FileError{File: file, Why: "it is no sealed jar: " + why, Kind: project.SealedKind}
	}
	z, err := zip.OpenReader(file)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		return nil, not("it is no zip, or cut off")
	}
	s := &Jar{zip: z, names: map[string]*zip.File{}}
	for _, f := range z.File {
		s.names[f.Name] = f
	}
	text, err := s.member(project.RecordFile)
	if err != nil {
		z.Close()
		return nil, not("it has no " + project.RecordFile)
	}
	s.Text = text
	if s.Record, err = project.ParseRecord(filepath.Join(filepath.Dir(file), project.RecordFile), text); err != nil {
		z.Close()
		return nil, err
	}
	return s, nil
}

// Begins reports whether a file begins as a sealed jar does, though it may be cut off.
func Begins(file io.Reader) (bool, error) {
	const fixed = 30 // the local header of a member, before its name (APPNOTE, 4.3.7)
	head := make([]byte, fixed+len(project.RecordFile))
	if _, err := io.ReadFull(file, head); err != nil {
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return false, nil
		}
		return false, err
	}
	return string(head[:4]) == "PK\x03\x04" && string(head[fixed:]) == project.RecordFile, nil
}

// Signatures are those of its record.
func (s *Jar) Signatures(ctx context.Context) ([][]byte, error) {
	if s.Remote != nil {
		return s.Remote.Signatures(ctx)
	}
	sig, err := s.member(project.RecordFile + signature.Ending)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return [][]byte{sig}, err
}

// member is the text of a file of a zip.
func (s *Jar) member(name string) ([]byte, error) {
	f, ok := s.names[name]
	if !ok {
		return nil, os.ErrNotExist
	}
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return limits.ReadAll(r, "the record of a sealed jar", limits.Record)
}

// Has reports whether it has a file, by its name and SHA-256.
func (s *Jar) Has(name, sum string) bool {
	if s.Remote != nil {
		_, ok := s.Remote.Has(sum)
		return ok
	}
	_, ok := s.names[name]
	return ok
}

// Open reads a file, of which no more comes than was announced.
func (s *Jar) Open(ctx context.Context, name, sum string) (io.ReadCloser, error) {
	if s.Remote != nil {
		return s.Remote.Blob(ctx, sum)
	}
	r, c, err := openMember(s.names[name])
	if err != nil {
		return nil, err
	}
	return struct {
		io.Reader
		io.Closer
	}{r, c}, nil
}

// sum is the hash and size of a file that it has.
func (s *Jar) sum(ctx context.Context, name, sum string) (string, int64, error) {
	r, err := s.Open(ctx, name, sum)
	if err != nil {
		return "", 0, err
	}
	defer r.Close()
	h := sha256.New()
	n, err := io.Copy(h, digest.WithContext(ctx, r))
	return hex.EncodeToString(h.Sum(nil)), n, err
}

// openMember opens a member, of which no more is unpacked than its zip announces.
func openMember(f *zip.File) (io.Reader, io.Closer, error) {
	r, err := f.Open()
	if err != nil {
		return nil, nil, err
	}
	most := min(f.UncompressedSize64, limits.Package)
	return io.LimitReader(r, int64(most)+1), r, nil
}

// Check verifies every byte against the record: how many files there are and their sizes together,
// and what is wrong with them, as sentences.
func (s *Jar) Check(ctx context.Context) (files int, bytes int64, faults []string, err error) {
	faults = []string{}
	known := map[string]bool{project.RecordFile: true, project.RecordFile + signature.Ending: true}
	for _, want := range s.Record.Files() {
		known[want.Path] = true
		if !s.Has(want.Path, want.Hashes["sha256"]) {
			faults = append(faults, want.Path+" is missing")
			continue
		}
		sum, size, err := s.sum(ctx, want.Path, want.Hashes["sha256"])
		if ctx.Err() != nil {
			return 0, 0, nil, ctx.Err()
		}
		files++
		bytes += size
		if err != nil || sum != want.Hashes["sha256"] {
			faults = append(faults, want.Path+" is not what the record says")
		}
	}
	for _, name := range slices.Sorted(maps.Keys(s.names)) {
		if !known[name] {
			faults = append(faults, name+" is in no record")
		}
	}
	return files, bytes, faults, nil
}
