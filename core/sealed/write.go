package sealed

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"maps"
	"os"
	"slices"
	"time"

	"glassjar/core/digest"
	"glassjar/core/project"
	"glassjar/core/signature"
	"glassjar/core/store"
)

// date is that of all members: the first day of the format.
var date = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// Member is a package file that goes into a sealed jar.
type Member struct{ Path, SHA256 string }

// Write writes the zip: the record first, its signature if there is one, the files by name, stored
// as they are, since they are packed already. Equal contents give equal bytes. The error is a
// [*store.HashError] where a file is not what it should be.
func Write(ctx context.Context, to io.Writer, record, sig []byte, members map[string]Member) error {
	z := zip.NewWriter(to)
	put := func(name string, from io.Reader, method uint16) error {
		h := &zip.FileHeader{Name: name, Method: method, Modified: date}
		h.SetMode(0o644)
		w, err := z.CreateHeader(h)
		if err == nil {
			_, err = io.Copy(w, from)
		}
		return err
	}
	err := put(project.RecordFile, bytes.NewReader(record), zip.Store)
	if err == nil && sig != nil {
		err = put(project.RecordFile+signature.Ending, bytes.NewReader(sig), zip.Store)
	}
	for _, name := range slices.Sorted(maps.Keys(members)) {
		if err != nil {
			return err
		}
		err = writeOne(ctx, name, members[name], func(from io.Reader) error { return put(name, from, zip.Store) })
	}
	if err != nil {
		return err
	}
	return z.Close()
}

// writeOne puts a package file into a sealed jar, and compares it with its hash on the
// way: a power cut may have left it damaged in the store.
func writeOne(ctx context.Context, name string, m Member, put func(io.Reader) error) error {
	f, err := os.Open(m.Path)
	if err != nil {
		return err
	}
	defer f.Close()
	h := sha256.New()
	if err := put(io.TeeReader(digest.WithContext(ctx, f), h)); err != nil {
		return err
	}
	if have := hex.EncodeToString(h.Sum(nil)); have != m.SHA256 {
		return &store.HashError{File: name, Want: m.SHA256, Have: have}
	}
	return nil
}
