package fetched

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"

	"glassjar/core/bytecode"
	"glassjar/core/digest"
	"glassjar/core/interpreter"
	"glassjar/core/interpreter/portable"
	"glassjar/core/progress"
	"glassjar/core/store"
)

// keyed begins the keys of a Python's files in the store.
const keyed = "python/"

// Unpack brings the files of an opened archive into the store, unless they are there.
func (c *Collection) Unpack(ctx context.Context, a *portable.Archive, sum string) (*store.Tree, error) {
	if t, ok := c.Tree(sum); ok {
		return t, nil
	}
	sources := make([]store.Source, len(a.Files))
	for i, f := range a.Files {
		sources[i] = store.Source{Member: store.Member{Key: keyed + f.Path, Executable: f.Executable, Size: f.Size, SHA256: f.SHA256, Hash: f.Hash},
			Copy: func(to io.Writer) error { return copyChecked(store.WriterWithContext(ctx, to), a.Name.File, f) }}
	}
	head := []store.Fact{{Key: "file", Value: a.Name.File}, {Key: "program", Value: a.Program}}
	for _, l := range a.Links {
		head = append(head, store.Fact{Key: "link", Value: l.Path + " -> " + l.Target})
	}
	return c.Store.Unpack(ctx, sum, head, sources)
}

// copyChecked writes a file, and compares it with its hash where that is known.
func copyChecked(to io.Writer, file string, f portable.File) error {
	if f.SHA256 == "" {
		return f.Copy(to)
	}
	check := digest.NewCheck(map[string]string{digest.SHA256: f.SHA256})
	if err := f.Copy(io.MultiWriter(to, check)); err != nil {
		return err
	}
	if _, want, have, ok := check.Wrong(); !ok {
		return &store.HashError{File: file + ": " + f.Path, Want: want, Have: have}
	}
	return nil
}

// Tree is that of a file that was unpacked, if all of it is in the store.
func (c *Collection) Tree(sum string) (*store.Tree, bool) {
	t, ok := c.Store.Tree(sum)
	if !ok || t.Fact("program") == "" {
		return nil, false
	}
	for _, m := range t.Members {
		if _, err := os.Lstat(t.Path(m)); err != nil {
			return nil, false
		}
	}
	return t, true
}

func linksOf(t *store.Tree) (out []portable.Link) {
	for _, f := range t.Head {
		if at, target, ok := strings.Cut(f.Value, " -> "); ok && f.Key == "link" {
			out = append(out, portable.Link{Path: at, Target: target})
		}
	}
	return out
}

// isModule reports whether a file of a Python is a module of its library that programs
// import: no test, and nothing of a package that came along.
func isModule(name string) bool {
	return strings.HasSuffix(name, ".py") && !strings.Contains(name, "/test/") && !strings.Contains(name, "/tests/") && !strings.Contains(name, "/idlelib/") &&
		!strings.Contains(name, "-packages/") && !strings.Contains(name, "/lib2to3/")
}

// compile has the library of a Python compiled into the store, once for all Pythons with the
// same bytecode, and puts the bytecode beside the modules.
func (c *Collection) compile(ctx context.Context, t *store.Tree, s Started, program, root string, told progress.Sink) error {
	kind := s.Kind
	if kind == "" {
		return nil
	}
	pool := &bytecode.Pool{Python: program, Kind: kind, Store: c.Store}
	defer pool.Close()
	sources := c.Store.ToCompile(kind, t, func(m store.Member) bool { return isModule(m.Key) })
	total := int64(len(sources))
	var done atomic.Int64
	err := pool.Compile(ctx, sources, func() {
		told.Tell(progress.Event{Stage: "compiling modules", Done: done.Add(1), Total: total})
	})
	if err != nil {
		return err
	}
	placer := &store.Placer{Store: c.Store, Way: c.Way}
	defer placer.Close()
	for _, m := range t.Members {
		name := strings.TrimPrefix(m.Key, keyed)
		if !isModule(m.Key) {
			continue
		}
		from := c.Store.BytecodePath(kind, m.SHA256)
		to := filepath.Join(root, filepath.FromSlash(interpreter.CompiledName(name, s.CacheTag)))
		if _, err := os.Lstat(from); err != nil {
			continue // Python can make nothing of that module
		}
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if err := placer.Place(from, to); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
	}
	return nil
}

// Fault is one file of a Python that is not what it was.
type Fault struct {
	// Path is relative to the Python's folder; Why tells what is wrong.
	Path, Why string
}

// Verify compares the files of a Python with their hashes. One whose tree the store has
// forgotten cannot be compared; false then.
func (c *Collection) Verify(ctx context.Context, p Python) (files int, faults []Fault, known bool, err error) {
	t, ok := c.Store.Tree(p.SHA256)
	if !ok {
		return 0, nil, false, nil
	}
	root := filepath.Join(c.Dir, p.Name)
	for _, m := range t.Members {
		name := strings.TrimPrefix(m.Key, keyed)
		have, err := digest.OfFile(ctx, filepath.Join(root, filepath.FromSlash(name)))
		switch {
		case ctx.Err() != nil:
			return files, faults, true, ctx.Err()
		case errors.Is(err, fs.ErrNotExist):
			faults = append(faults, Fault{name, "it is missing"})
		case err != nil:
			return files, faults, true, err
		case have != m.SHA256:
			faults = append(faults, Fault{name, "it was changed"})
		}
		files++
	}
	for _, l := range linksOf(t) {
		if target, err := os.Readlink(filepath.Join(root, filepath.FromSlash(l.Path))); err != nil || filepath.ToSlash(target) != l.Target {
			faults = append(faults, Fault{l.Path, "it is no link to " + l.Target})
		}
	}
	slices.SortFunc(faults, func(a, b Fault) int { return strings.Compare(a.Path, b.Path) })
	return files, faults, true, nil
}
