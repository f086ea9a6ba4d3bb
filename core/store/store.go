// Package store is the machine-wide collection of what was fetched.
//
//	files/ab/SHA256[-x]  each content once, read-only, from which jars are filled
//	trees/ab/SHA256      what a package file unpacks to, by its hash ([Tree])
//	bytecode/PYTHON/     what an interpreter made of a source, by the source's hash
//	packages/ab/SHA256   package files that are whole yet, or are to be kept so
//
// Several processes may use it at once, and may be killed at any moment.
package store

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"glassjar/core/digest"
)

// Store is a folder.
type Store struct {
	Dir string
	// Second is a store that is only read, shared by a group, or nil; it may have a second one
	// in its turn.
	Second *Store
	// KeepPackages keeps package files whole besides what they unpack to.
	KeepPackages bool
	// Sums are the hashes of package files that were read.
	Sums digest.Files

	unsaved    unsaved
	unpacks    atomic.Int64 // how many package files are being unpacked
	unpacking  sync.Map     // SHA-256 of a package file -> *sync.Mutex
	askWorkers sync.Once
	workers    *semaphore.Weighted
}

// Chain are the stores to look in: this one, its second, and so on.
func (s *Store) Chain() (out []*Store) {
	for at := s; at != nil; at = at.Second {
		out = append(out, at)
	}
	return out
}

// HashError says that what came is not what was announced.
type HashError struct {
	// File is a file name or an address.
	File string
	// Want and Have are SHA-256 in hex.
	Want, Have string
}

func (e *HashError) Error() string {
	return fmt.Sprintf("%s has the hash %s..., not %s...", e.File, short(e.Have), short(e.Want))
}

func short(hash string) string { return hash[:min(12, len(hash))] }

// path is where a package file stands: the first two digits make a folder.
func (s *Store) path(sum string) string {
	return filepath.Join(s.Dir, "packages", sum[:2], sum)
}

// ValidSum reports whether text is a SHA-256 in lower-case hex.
func ValidSum(text string) bool {
	if len(text) != sumLength {
		return false
	}
	for i := range len(text) {
		if c := text[i]; (c < '0' || c > '9') && (c < 'a' || c > 'f') {
			return false
		}
	}
	return true
}

// Package is the path of a package file, if it is here.
func (s *Store) Package(sum string) (string, bool) {
	if !ValidSum(sum) {
		return "", false
	}
	p := s.path(sum)
	info, err := os.Stat(p)
	return p, err == nil && info.Mode().IsRegular()
}

// Verified is the path of a package file, if it is here and what its name says: a power
// cut may have left it damaged, and then it is removed.
func (s *Store) Verified(ctx context.Context, sum string) (string, bool) {
	path, ok := s.Package(sum)
	if !ok {
		return "", false
	}
	if have, err := s.Sums.Sum(ctx, path); ctx.Err() != nil {
		return "", false
	} else if err != nil || have != sum {
		s.Drop(sum)
		return "", false
	}
	return path, true
}

// Add takes in a package file from r and gives its hash and path. If want is
// not empty and the hash is another, nothing is kept and the error is a
// [*HashError].
func (s *Store) Add(ctx context.Context, name, want string, r io.Reader) (sum, path string, err error) {
	dir := filepath.Join(s.Dir, "packages")
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return "", "", err
	}
	half, done, err := begin(dir)
	if err != nil {
		return "", "", err
	}
	defer done()
	temp, err := os.OpenFile(half, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return "", "", err
	}
	h := digest.New()
	_, err = digest.Copy(ctx, io.MultiWriter(temp, h), r)
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err != nil {
		return "", "", err
	}
	sum = hex.EncodeToString(h.Sum(nil))
	if want != "" && sum != want {
		return "", "", &HashError{name, want, sum}
	}
	path = s.path(sum)
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return "", "", err
	}
	if err := os.Chmod(temp.Name(), 0o644); err != nil {
		return "", "", err
	}
	_, err = settle(temp.Name(), path)
	return sum, path, err
}

// Scratch gives a path of the store where nothing is, for a file that is needed for a while,
// and what to call in the end: that removes it.
func (s *Store) Scratch() (path string, done func(), err error) {
	dir := filepath.Join(s.Dir, "packages")
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return "", nil, err
	}
	return begin(dir)
}

// Drop removes a package file: it is unpacked.
func (s *Store) Drop(sum string) {
	if ValidSum(sum) {
		os.Remove(s.path(sum)) // what is left is tidied away
	}
}

// DropSaved removes a package file if what it unpacks to is saved, unless package files are to be
// kept.
func (s *Store) DropSaved(sum string) {
	if !s.KeepPackages && s.HasTree(sum) {
		s.Drop(sum)
	}
}

// Check compares a package file with its name. A file that differs is removed,
// so that it is fetched again; the error is a [*HashError].
func (s *Store) Check(sum string) error {
	p, ok := s.Package(sum)
	if !ok {
		return os.ErrNotExist
	}
	have, err := digest.OfFile(context.Background(), p)
	if err != nil {
		return err
	}
	if have != sum {
		return errors.Join(&HashError{p, sum, have}, os.Remove(p))
	}
	return nil
}

// Held is one package file of the store.
type Held struct {
	SHA256, Path string
	Size         int64
	// Used is when it came.
	Used time.Time
}

// All lists the package files, by hash.
func (s *Store) All() ([]Held, error) {
	var out []Held
	folders, err := os.ReadDir(filepath.Join(s.Dir, "packages"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	for _, folder := range folders {
		if !folder.IsDir() {
			continue
		}
		files, err := os.ReadDir(filepath.Join(s.Dir, "packages", folder.Name()))
		if err != nil {
			return nil, err
		}
		for _, f := range files {
			info, err := f.Info()
			if err != nil || !ValidSum(f.Name()) {
				continue // removed meanwhile, or not ours
			}
			out = append(out, Held{f.Name(), s.path(f.Name()), info.Size(), info.ModTime()})
		}
	}
	return out, nil
}

// WriterWithContext is a writer that ends with a context.
func WriterWithContext(ctx context.Context, w io.Writer) io.Writer { return contextWriter{ctx, w} }

type contextWriter struct {
	ctx context.Context
	w   io.Writer
}

func (c contextWriter) Write(p []byte) (int, error) {
	if err := c.ctx.Err(); err != nil {
		return 0, err
	}
	return c.w.Write(p)
}
