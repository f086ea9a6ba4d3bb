package fetched

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"

	"glassjar/core/bytecode"
	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/interpreter"
	"glassjar/core/interpreter/portable"
	"glassjar/core/progress"
	"glassjar/core/store"
)

// keyed begins the keys of a Python's files in the store.
const keyed = "python/"

// Unpack brings the files of an opened archive into the store, unless they are there.
func (c *Collection) Unpack(ctx context.Context, a *portable.Archive, sum string) (*store.Tree, error) {
	if t, ok := c.Tree(sum); ok && whole(t) {
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

// Tree is that of a file that was unpacked. Whether all of its files are still in the store is
// seen when they are put in place.
func (c *Collection) Tree(sum string) (*store.Tree, bool) {
	t, ok := c.Store.Tree(sum)
	return t, ok && t.Fact("program") != ""
}

// whole reports whether all files of a tree are in the store.
func whole(t *store.Tree) bool {
	return !slices.ContainsFunc(t.Members, func(m store.Member) bool {
		_, err := os.Lstat(t.Path(m))
		return err != nil
	})
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
	if s.Kind == "" {
		return nil
	}
	missing, err := c.placeBytecode(ctx, t, s, root, func(string) bool { return true }, told)
	if err != nil || missing == 0 {
		return err
	}
	sources := c.Store.ToCompile(s.Kind, t, func(m store.Member) bool { return isModule(m.Key) })
	if len(sources) == 0 {
		return nil // Python can make nothing of what is missing
	}
	pool := &bytecode.Pool{Python: program, Kind: s.Kind, Store: c.Store}
	defer pool.Close()
	total := int64(len(sources))
	var done atomic.Int64
	err = pool.Compile(ctx, sources, func() {
		told.Tell(progress.Event{Stage: "compiling modules", Done: done.Add(1), Total: total})
	})
	if err != nil {
		return err
	}
	_, err = c.placeBytecode(ctx, t, s, root, func(sum string) bool { return sources[sum] != "" }, told)
	return err
}

// placeBytecode puts the bytecode of modules, by their hashes, beside them, and tells how much
// is not in the store.
func (c *Collection) placeBytecode(ctx context.Context, t *store.Tree, s Started, root string, of func(sum string) bool, told progress.Sink) (missing int, err error) {
	files := folders{}
	for _, m := range t.Members {
		if isModule(m.Key) && of(m.SHA256) {
			name := interpreter.CompiledName(strings.TrimPrefix(m.Key, keyed), s.CacheTag)
			files.add(name, store.Pair{From: c.Store.BytecodePath(s.Kind, m.SHA256), Optional: true})
		}
	}
	return c.place(ctx, files, root, told)
}

// folders are files of the store, by the folder in which each gets its name.
type folders map[string][]store.Pair

// add adds a file that gets a path, with '/'.
func (f folders) add(name string, from store.Pair) {
	from.Name = path.Base(name)
	f[path.Dir(name)] = append(f[path.Dir(name)], from)
}

// place puts files into a folder, and tells how many optional ones are not in the store. Making
// a name is work that the system does in parallel.
func (c *Collection) place(ctx context.Context, files folders, root string, told progress.Sink) (missing int, err error) {
	placer := &store.Placer{Store: c.Store, Way: c.Way}
	defer placer.Close()
	total := int64(0)
	for _, list := range files {
		total += int64(len(list))
	}
	var done atomic.Int64
	group := guard.New()
	group.SetLimit(runtime.NumCPU())
	for dir, list := range files {
		group.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			at := filepath.Join(root, filepath.FromSlash(dir))
			if err := os.MkdirAll(at, 0o777); err != nil {
				return err
			}
			told.Tell(progress.Event{Stage: "putting files in place", Done: done.Add(int64(len(list))), Total: total})
			return placer.PlaceIn(at, list)
		})
	}
	err = group.Wait()
	return placer.Left(), err
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
