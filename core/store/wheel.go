package store

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"sync"

	"glassjar/core/internal/retry"
	"glassjar/core/wheel"
)

// UnpackWheel brings the members of the wheel at a path, with a file name and a SHA-256,
// into the store, once whoever asks for it. The wheel itself does not stay there, unless
// [Store.KeepPackages] is set. The error is a [*wheel.Refusal], a [*HashError], or the
// system's.
func (s *Store) UnpackWheel(ctx context.Context, path, name, sum string, limits wheel.Limits) (*Tree, error) {
	lock, _ := s.unpacking.LoadOrStore(sum, &sync.Mutex{})
	lock.(*sync.Mutex).Lock()
	defer lock.(*sync.Mutex).Unlock()
	// Also where another process unpacked it while this one fetched it; else it goes once what it
	// unpacked to is saved.
	defer s.DropSaved(sum)
	if tree, ok := s.Tree(sum); ok {
		return tree, nil
	}
	path, err := s.Own(ctx, path, name, sum)
	if err != nil {
		return nil, err
	}
	w, closer, err := openWheel(path, name, limits)
	if os.IsNotExist(err) {
		// Another process was faster, and did not keep the file.
		if tree, ok := s.Tree(sum); ok {
			return tree, nil
		}
	}
	if err != nil {
		return nil, err
	}
	defer closer()
	sources := make([]Source, len(w.Entries))
	for i, e := range w.Entries {
		sources[i] = Source{Member: Member{Key: e.Key(), Executable: e.Executable || e.Scheme == wheel.Scripts, Size: e.Size, Hash: e.Hash, SHA256: e.SHA256()},
			Copy:   func(to io.Writer) error { return w.Copy(WriterWithContext(ctx, to), e) },
			Append: func(to []byte) ([]byte, error) { return w.Append(to, e) }}
	}
	return s.Unpack(ctx, sum, headOf(w.Outline()), sources)
}

// Own is a package file's copy in the store, which [Store.UnpackWheel] makes if it is not there.
// One that lies elsewhere may be swapped between being hashed and being unpacked: what is unpacked
// is a copy, hashed while it was made.
func (s *Store) Own(ctx context.Context, path, name, sum string) (string, error) {
	own, ok := s.Package(sum)
	if ok || path == own {
		return own, nil
	}
	in, err := os.Open(path)
	if err != nil {
		return path, err
	}
	defer in.Close()
	if info, err := in.Stat(); err != nil || !info.Mode().IsRegular() {
		return path, errors.Join(err, &os.PathError{Op: "read", Path: path, Err: errors.New("it is not a file")})
	}
	_, own, err = s.Add(ctx, name, sum, in)
	return own, err
}

// openPackage opens a package file, which another command may put into its place just now.
func openPackage(path string) (f *os.File, err error) {
	err = retry.WhileBusy(func() error {
		f, err = os.Open(path)
		return err
	})
	return f, err
}

func openWheel(path, name string, limits wheel.Limits) (*wheel.Wheel, func(), error) {
	f, err := openPackage(path)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	w, err := wheel.Open(f, info.Size(), name, limits)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return w, func() { f.Close() }, nil
}

// headOf is a wheel's outline as the head of its tree.
func headOf(o wheel.Outline) []Fact {
	head := []Fact{{Key: "file", Value: o.File}, {Key: "name", Value: o.Distribution}, {Key: "info", Value: o.Info}, {Key: "purelib", Value: fmt.Sprint(o.Purelib)}}
	for _, w := range o.Warnings {
		head = append(head, Fact{Key: "warning", Value: strings.ReplaceAll(w, "\n", " ")})
	}
	return head
}

// Warnings are the remarks on a wheel that was unpacked, by its SHA-256.
func (s *Store) Warnings(sum string) []string {
	out := []string{}
	for _, f := range s.Head(sum) {
		if f.Key == "warning" {
			out = append(out, f.Value)
		}
	}
	return out
}

// Metadata is METADATA of the wheel that a tree was unpacked from.
func (t *Tree) Metadata() ([]byte, error) {
	return t.Read(t.root() + "/" + t.Fact("info") + "/METADATA")
}

// root is the scheme of what stands at the root of the wheel.
func (t *Tree) root() string {
	if t.Fact("purelib") == "true" {
		return wheel.Purelib
	}
	return wheel.Platlib
}

// Wheel is the wheel that a tree was unpacked from, and where its entries stand.
func (t *Tree) Wheel() (*wheel.Wheel, func(entry int) string, error) {
	o := wheel.Outline{File: t.Fact("file"), Distribution: t.Fact("name"), Info: t.Fact("info"), Purelib: t.Fact("purelib") == "true"}
	for _, f := range t.Head {
		if f.Key == "warning" {
			o.Warnings = append(o.Warnings, f.Value)
		}
	}
	entries := make([]wheel.Entry, len(t.Members))
	for i, m := range t.Members {
		entries[i] = wheel.EntryOf(m.Key, m.Hash, m.Size, m.Executable)
	}
	w, err := wheel.Unpacked(o, entries, func(e wheel.Entry) (io.ReadCloser, error) {
		m, ok := t.Find(e.Key())
		if !ok {
			return nil, os.ErrNotExist
		}
		return t.Open(m)
	})
	return w, func(entry int) string { return t.Path(t.Members[entry]) }, err
}
