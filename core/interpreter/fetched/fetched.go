// Package fetched keeps the Pythons that were fetched: each unpacked once, its files shared
// with the store and read-only, in a folder that jars link to:
//
//	NAME/        the Python, as its file unpacks, with the bytecode of its library
//	NAME.json    what is known of it ([Python])
//
// One that is being put together stands in the folder beside, "pythons-coming".
//
// NAME is implementation, version and the first digits of the file's SHA-256, so that two
// builds of one version stand side by side.
package fetched

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/bytecode"
	"glassjar/core/durable"
	"glassjar/core/interpreter"
	"glassjar/core/interpreter/portable"
	"glassjar/core/limits"
	"glassjar/core/lock"
	"glassjar/core/progress"
	"glassjar/core/store"
)

// Python is one that was fetched.
type Python struct {
	// Name is that of its folder.
	Name string `json:"name"`
	// File is the file's name, From its address, or its path for one of this machine.
	File string `json:"file"`
	From string `json:"from"`
	// SHA256 is the file's, in hex; Size is in bytes, of the file.
	SHA256 string `json:"sha256"`
	Size   int64  `json:"size"`
	// Implementation, Version and Build are as the file's name has them.
	Implementation string `json:"implementation"`
	Version        string `json:"version"`
	Build          string `json:"build,omitempty"`
	// Program is the interpreter's path in the folder, with '/'.
	Program string `json:"program"`
	// Bytes is what it unpacks to.
	Bytes int64     `json:"bytes"`
	Came  time.Time `json:"came"`
}

// Collection is all of them.
type Collection struct {
	// Dir is their folder, on the file system of the store.
	Dir   string
	Store *store.Store
	// Way is how files get there ([store.Placer]).
	Way  string
	Mode lock.Mode
	// Compile has the library of a Python compiled when it comes.
	Compile bool
	// Started are the files, by their SHA-256, whose Pythons were started on this machine
	// before, and were what their names say: they need not be started again. Note, if set, is
	// told of another.
	Started map[string]Started
	Note    func(sum string, s Started)
}

// Started is what a Python said when it was started.
type Started struct {
	// Says is the title of its name ([portable.Name.Title]).
	Says string `json:"says"`
	// Kind is that of its bytecode ([bytecode.Kind]), CacheTag as Python has it.
	Kind     string `json:"kind"`
	CacheTag string `json:"cache_tag"`
}

// Path is a Python's program.
func (c *Collection) Path(p Python) string {
	return filepath.Join(c.Dir, p.Name, filepath.FromSlash(p.Program))
}

// coming is where a Python stands before it has its place, and after it has lost it: nobody
// looks for one there.
func (c *Collection) coming(name string) string { return filepath.Join(c.Dir+"-coming", name) }

// All are those that are there, the newest first.
func (c *Collection) All() ([]Python, error) {
	entries, err := os.ReadDir(c.Dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []Python
	for _, e := range entries {
		name, ok := strings.CutSuffix(e.Name(), ".json")
		if !ok {
			continue
		}
		p, err := c.read(name)
		if err != nil {
			continue // half removed, or a stranger's
		}
		out = append(out, p)
	}
	slices.SortFunc(out, func(a, b Python) int {
		x, _ := portable.Parse(a.File)
		y, _ := portable.Parse(b.File)
		return cmp.Or(portable.Better(x, y), cmp.Compare(a.Name, b.Name))
	})
	return out, nil
}

func (c *Collection) read(name string) (p Python, err error) {
	text, err := limits.ReadFile(filepath.Join(c.Dir, name+".json"), limits.Own)
	if err == nil {
		err = json.Unmarshal(text, &p)
	}
	if err == nil && (p.Name != name || !filepath.IsLocal(filepath.FromSlash(p.Program))) {
		err = fs.ErrInvalid
	}
	if err == nil {
		_, err = os.Stat(c.Path(p))
	}
	return p, err
}

// Of is the Python that a file, by its SHA-256, was unpacked to.
func (c *Collection) Of(sum string) (Python, bool) {
	all, _ := c.All() // what cannot be read is not there
	i := slices.IndexFunc(all, func(p Python) bool { return p.SHA256 == sum })
	if i < 0 {
		return Python{}, false
	}
	return all[i], true
}

// Holder is the Python that a program belongs to.
func (c *Collection) Holder(program string) (Python, bool) {
	rel, err := filepath.Rel(c.Dir, program)
	if err != nil || !filepath.IsLocal(rel) {
		return Python{}, false
	}
	name, _, _ := strings.Cut(filepath.ToSlash(rel), "/")
	p, err := c.read(name)
	return p, err == nil
}

// nameOf is the name of a file's folder.
func nameOf(n portable.Name, sum string) string {
	out := n.Implementation + "-" + n.Version.String()
	if n.FreeThreaded {
		out += "t"
	}
	return out + "-" + sum[:8]
}

// VersionError says that a file holds another Python than its name tells.
type VersionError struct{ File, Says, Is string }

func (e *VersionError) Error() string {
	return fmt.Sprintf("%s holds %s, and not %s", e.File, e.Is, e.Says)
}

// StartError says that the Python of a file does not start here.
type StartError struct{ File, Why string }

func (e *StartError) Error() string { return "the Python of " + e.File + " does not start here" }

// LibraryError says which shared libraries a Python looks for in the system, and are not
// there.
type LibraryError struct {
	File    string
	Missing []string
}

func (e *LibraryError) Error() string {
	return e.File + " needs " + strings.Join(e.Missing, ", ") + ", which this machine does not have"
}

// Add makes a Python of a file's unpacked tree: it is put together beside its place, asked
// what it is, compiled, and gets its place once all of it is durable. One that is there
// already is given back. The error is a [*StartError] or a [*VersionError] for one that is not what its
// name says.
func (c *Collection) Add(ctx context.Context, t *store.Tree, p Python, told progress.Sink) (Python, error) {
	name, ok := portable.Parse(p.File)
	if !ok {
		return p, &portable.Refusal{File: p.File, Why: "its name does not tell which Python it holds"}
	}
	p.Name, p.Program = nameOf(name, p.SHA256), t.Fact("program")
	p.Implementation, p.Version, p.Build, p.Bytes = name.Implementation, name.Version.String(), name.Build, t.Bytes()
	for _, dir := range []string{c.Dir, filepath.Dir(c.coming(p.Name))} {
		if err := os.MkdirAll(dir, 0o777); err != nil {
			return p, err
		}
	}
	held, err := lock.Take(ctx, filepath.Join(c.Dir, "."+p.Name+".lock"), c.Mode)
	if err != nil {
		return p, err
	}
	defer held.Release()
	if have, err := c.read(p.Name); err == nil {
		return have, nil
	}
	root, temp := filepath.Join(c.Dir, p.Name), c.coming(p.Name)
	for _, left := range []string{temp, root} { // of a command that was killed
		if err := removeAll(left); err != nil {
			return p, err
		}
	}
	if err := c.fill(ctx, t, temp, told); err != nil {
		return p, errors.Join(err, removeAll(temp))
	}
	if err := c.settle(ctx, temp, root, name, &p, t, told); err != nil {
		return p, errors.Join(err, removeAll(temp))
	}
	return p, nil
}

// settle asks a Python that was put together what it is, and gives it its place.
func (c *Collection) settle(ctx context.Context, temp, root string, name portable.Name, p *Python, t *store.Tree, told progress.Sink) error {
	start, err := c.start(ctx, temp, name, p, told)
	if err != nil {
		return err
	}
	if c.Compile {
		if err := c.compile(ctx, t, start, filepath.Join(temp, filepath.FromSlash(p.Program)), temp, told); err != nil {
			return err
		}
	}
	disk, err := durable.Open(c.Dir)
	if err != nil {
		return err
	}
	defer disk.Close()
	var batch durable.Batch
	batch.Folder(temp)
	batch.Count(durable.Few) // all of its folders are new
	if err := batch.Flush(disk); err != nil {
		return err
	}
	if err := os.Rename(temp, root); err != nil {
		return err
	}
	text, err := json.MarshalIndent(p, "", "  ")
	if err != nil {
		return err
	}
	return atomicfile.Write(root+".json", append(text, '\n'), atomicfile.Options{Mode: 0o644})
}

// start asks a Python what it is, unless it was asked before.
func (c *Collection) start(ctx context.Context, temp string, name portable.Name, p *Python, told progress.Sink) (Started, error) {
	if s, ok := c.Started[p.SHA256]; ok && s.Says == name.Title() {
		return s, nil
	}
	told.Tell(progress.Event{Stage: "starting " + name.Title()})
	in, err := interpreter.Probe(ctx, filepath.Join(temp, filepath.FromSlash(p.Program)), 30*time.Second)
	var no interpreter.Rejection
	if errors.As(err, &no) && !no.Passing {
		return Started{}, &StartError{p.File, strings.ReplaceAll(no.Why, temp+string(filepath.Separator), "")}
	}
	if err != nil {
		return Started{}, err
	}
	if p.Implementation == "cpython" && in.Said.Version != p.Version || in.Said.Implementation != p.Implementation || in.Said.FreeThreaded != name.FreeThreaded {
		return Started{}, &VersionError{p.File, name.Title(), in.Title()}
	}
	s := Started{Says: name.Title(), Kind: bytecode.Kind(in), CacheTag: in.Said.CacheTag}
	if c.Note != nil {
		c.Note(p.SHA256, s)
	}
	return s, nil
}

// fill puts the files of a tree into a new folder.
func (c *Collection) fill(ctx context.Context, t *store.Tree, root string, told progress.Sink) error {
	files := folders{}
	for _, m := range t.Members {
		files.add(strings.TrimPrefix(m.Key, keyed), store.Pair{From: t.Path(m)})
	}
	if _, err := c.place(ctx, files, root, told); err != nil {
		return err
	}
	for _, l := range linksOf(t) {
		at := filepath.Join(root, filepath.FromSlash(l.Path))
		if err := os.MkdirAll(filepath.Dir(at), 0o777); err != nil {
			return err
		}
		if err := os.Symlink(filepath.FromSlash(l.Target), at); err != nil {
			return err
		}
	}
	return nil
}

// Drop removes a Python.
func (c *Collection) Drop(ctx context.Context, p Python) error {
	held, err := lock.Take(ctx, filepath.Join(c.Dir, "."+p.Name+".lock"), c.Mode)
	if err != nil {
		return err
	}
	defer held.Release()
	root, gone := filepath.Join(c.Dir, p.Name), c.coming(p.Name)
	if err := os.MkdirAll(filepath.Dir(gone), 0o777); err != nil {
		return err
	}
	if err := os.Remove(root + ".json"); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err := os.Rename(root, gone); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return removeAll(gone)
}

// removeAll removes a folder; files of it may be read-only, which Windows minds.
func removeAll(root string) error {
	err := os.RemoveAll(root)
	if err == nil {
		return nil
	}
	_ = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			_ = os.Chmod(path, 0o600)
		}
		return nil
	})
	return os.RemoveAll(root)
}
