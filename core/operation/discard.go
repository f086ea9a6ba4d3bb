package operation

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"glassjar/core/durable"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/shelf"
)

// DiscardedJar is a discarded jar that can be brought back until the store is tidied.
type DiscardedJar struct {
	// Jar is where it stood, Held where it is now.
	Jar  string
	Held string
	At   time.Time
	ID   string
	Size int64
	// Frees is how many bytes it has for itself.
	Frees int64

	known shelf.Known
}

// DiscardOptions say which jars.
type DiscardOptions struct {
	// Refs are paths, or names on the shelf; Undo brings them back.
	Refs []string
	Undo bool
}

// Discarded tells which jars were removed, or brought back.
type Discarded struct {
	Jars []string
	// Kept are specs and records of projects, which stay.
	Kept []string
	// Frees is how many bytes come free once the store is tidied; Back tells that
	// the jars were brought back instead.
	Frees int64
	Back  bool
	// Remaining is how many more can be brought back.
	Remaining int
	Done      bool
}

// discardedPath is where a discarded jar is held: beside its place, so that it is one
// renaming on every file system.
func discardedPath(root, id string) string {
	return filepath.Join(filepath.Dir(root), "."+strings.TrimPrefix(filepath.Base(root), ".")+".discarded-"+id[:8])
}

// Discard removes jars, each named by its path or its name on the shelf. All
// are looked at before the first is removed. The folder itself is meant: a
// project's folder does not stand for its jar here.
func (m *Machine) Discard(ctx context.Context, refs []string, decide func(*Discarded) (bool, error)) (*Discarded, error) {
	var places []place.Place
	out := &Discarded{Jars: []string{}, Kept: []string{}}
	for _, ref := range refs {
		root, err := m.discardRoot(ref)
		if err != nil {
			return nil, err
		}
		if file := m.ScriptNamed(ref); file != "" && !jar.Exists(root) {
			return nil, &place.NoJarError{Root: root, Named: ref, Script: file}
		}
		if err := jar.Discardable(root); err != nil {
			if _, gone := os.Lstat(root); errors.Is(gone, fs.ErrNotExist) {
				err = m.Places().NoJar(&place.NoJarError{Root: root, Named: ref, Unwanted: true})
			}
			return nil, err
		}
		at := m.Places().At(root, place.Named)
		places = append(places, at)
		j, err := jar.Open(root)
		if err != nil {
			return nil, err
		}
		size, shared := j.Size()
		out.Frees += size - shared
		out.Jars = append(out.Jars, root)
		for _, f := range []string{at.SpecFile, at.RecordFile} {
			if fileExists(f) && at.Project != "" {
				out.Kept = append(out.Kept, f)
			}
		}
	}
	if ok, err := decide(out); err != nil || !ok {
		return out, err
	}
	at := m.now() // together they go, and together they come back
	for _, p := range places {
		if err := m.putAway(ctx, p, at); err != nil {
			return out, err
		}
	}
	out.Done = true
	return out, nil
}

func (m *Machine) discardRoot(ref string) (string, error) {
	if file := m.ScriptNamed(ref); file != "" {
		script, err := project.ReadScript(file)
		if err != nil {
			return "", err
		}
		s, err := m.withRecord(script)
		if err != nil {
			return "", err
		}
		return s.place.Root, nil
	}
	root := ref
	if filepath.Base(ref) == ref && ref != "." && ref != ".." {
		if onShelf := filepath.Join(m.Folders.Shelf, ref); jar.Exists(onShelf) {
			root = onShelf
		}
	}
	root = m.absolute(root)
	if roots := m.Places().CalledSo(ref); len(roots) == 1 && !fileExists(root) {
		return roots[0], nil
	}
	return filepath.Clean(root), nil
}

// putAway takes one jar out of its place. Of one that is not trusted, or whose journal
// is damaged, only the place is held: nothing in it is looked at or put right.
func (m *Machine) putAway(ctx context.Context, p place.Place, at time.Time) error {
	release, err := m.holdOrPlace(ctx, p)
	var damaged *jar.DamagedJournalError
	if errors.As(err, &damaged) {
		release, err = m.holdProject(ctx, p.Key())
	}
	if err != nil {
		return err
	}
	defer release()
	_, err = m.moveDiscarded(p, at)
	return err
}

// moveDiscarded moves a jar beside its place, in one renaming, and notes where it is and, if
// it was trusted, what it looks like. back brings it back.
func (m *Machine) moveDiscarded(p place.Place, at time.Time) (back func() error, err error) {
	known, trusted := m.Known.Find(p.Root)
	if known.ID == "" { // it has no identity, or another's
		known = shelf.Known{ID: jar.RandomID()}
	}
	held := discardedPath(p.Root, known.ID)
	away := shelf.Discarded{ID: known.ID, Root: p.Root, Held: held, At: at}
	if trusted {
		away.Known = known
	}
	if err := m.Discarded.Put(away); err != nil {
		return nil, err
	}
	if err := os.Rename(p.Root, held); err != nil {
		return nil, errors.Join(err, m.Discarded.Drop(known.ID))
	}
	if err := durable.Parent(held); err != nil {
		return nil, err
	}
	back = func() error { return errors.Join(os.Rename(held, p.Root), m.Discarded.Drop(known.ID)) }
	return back, m.Known.Forget(known.ID)
}

// discarded are the jars that can be brought back. An entry whose jar was never
// moved, since the command was cut off, is dropped.
func (m *Machine) discarded() ([]DiscardedJar, error) {
	list, err := m.Discarded.All()
	if err != nil {
		return nil, err
	}
	var out []DiscardedJar
	for _, a := range list {
		if _, err := os.Lstat(a.Held); err != nil {
			if err := m.Discarded.Drop(a.ID); err != nil {
				return nil, err
			}
			continue
		}
		one := DiscardedJar{Jar: a.Root, Held: a.Held, At: a.At.UTC(), ID: a.ID, known: a.Known}
		if j, err := jar.Open(a.Held); err == nil {
			size, shared := j.Size()
			one.Size, one.Frees = size, size-shared
		}
		out = append(out, one)
	}
	return out, nil
}

// BringBack undoes a discard: of the jars named by where they stood, or by their
// names on the shelf; without a name, of those that one command discarded last.
func (m *Machine) BringBack(ctx context.Context, refs []string) (*Discarded, error) {
	list, err := m.discarded()
	if err != nil {
		return nil, err
	}
	if len(list) == 0 {
		return nil, usage(NothingDiscarded)
	}
	var chosen []DiscardedJar
	for _, a := range list {
		if last := list[len(list)-1]; len(refs) == 0 && a.At.Equal(last.At) {
			chosen = append(chosen, a)
		}
	}
	for _, ref := range refs {
		root, err := m.discardRoot(ref)
		if err != nil {
			return nil, err
		}
		found := false
		for i := len(list) - 1; i >= 0 && !found; i-- {
			if a := list[i]; a.Jar == root || a.Jar == filepath.Join(m.Folders.Shelf, ref) || m.Places().At(a.Jar, place.Named).Prompt() == ref {
				chosen, found = append(chosen, a), true
			}
		}
		if !found {
			return nil, usage(NotDiscarded, ref)
		}
	}
	out := &Discarded{Jars: []string{}, Kept: []string{}, Back: true}
	for _, a := range chosen {
		if err := m.bringBack(ctx, a); err != nil {
			return out, err
		}
		out.Jars = append(out.Jars, a.Jar)
	}
	out.Done, out.Remaining = true, len(list)-len(chosen)
	return out, nil
}

// bringBack gives one discarded jar its place again.
func (m *Machine) bringBack(ctx context.Context, a DiscardedJar) error {
	release, err := m.hold(ctx, m.Places().At(a.Jar, place.Named))
	if err != nil {
		return err
	}
	defer release()
	if _, err := os.Lstat(a.Jar); err == nil {
		return &jar.ExistsError{Path: a.Jar, Jar: jar.Exists(a.Jar)}
	}
	if err := os.Rename(a.Held, a.Jar); err != nil {
		return err
	}
	if err := durable.Parent(a.Jar); err != nil {
		return err
	}
	if a.known.ID != "" {
		if err := m.Known.Restore(a.known); err != nil {
			return err
		}
	}
	return m.Discarded.Drop(a.ID)
}
