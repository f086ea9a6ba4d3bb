package sealed

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"glassjar/core/digest"
	"glassjar/core/durable"
	"glassjar/core/project"
	"glassjar/core/signature"
	"glassjar/core/store"
)

// date is that of all members: the first day of the format.
var date = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// Member is a package file that goes into a sealed jar.
type Member struct{ Path, SHA256 string }

// Write writes the zip: the record first, its signature if there is one, the files by name, stored
// as they are, since they are packed already. Equal contents give equal bytes. It appears whole or
// not at all, and where a link leads; a device or a pipe is written to. temporary gives a name beside
// the file, and what ends its use. The error is a [*store.HashError] where a file is not what it
// should be.
func Write(ctx context.Context, file string, temporary func(string) (string, func()), record, sig []byte, members map[string]Member) error {
	if info, err := os.Stat(file); err == nil && !info.Mode().IsRegular() {
		to, err := os.OpenFile(file, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		return errors.Join(fill(ctx, to, record, sig, members), to.Close())
	}
	if real, err := filepath.EvalSymlinks(file); err == nil {
		file = real
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return err
	}
	name, done := temporary(filepath.Join(filepath.Dir(file), "."+filepath.Base(file)))
	defer done()
	temp, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	defer os.Remove(temp.Name())
	err = fill(ctx, temp, record, sig, members)
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = durable.File(temp.Name())
	}
	if err == nil {
		err = os.Rename(temp.Name(), file)
	}
	if err != nil {
		return err
	}
	return durable.Parent(file)
}

// fill writes the zip.
func fill(ctx context.Context, to io.Writer, record, sig []byte, members map[string]Member) error {
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
