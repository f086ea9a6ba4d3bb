// Package shelf is the list of the jars that are known on a machine, wherever
// they stand: one small file each, named by the jar's identity and holding its
// place. The file's time is when the jar was last used.
//
// A jar carries its identity with it, so that a moved one is known again. A
// copy has the same identity until it is first seen; it then gets its own.
package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/jar"
	"glassjar/core/lock"
)

// List is a folder of entries. The zero value keeps nothing.
type List struct {
	Dir string
	// Temporary notes temporaries; see [atomicfile.Options].
	Temporary func(prefix string) (path string, done func())
}

// Known is one jar.
type Known struct {
	ID string
	// Root is where the jar was last seen.
	Root string
	// Made tells that this user's program made it on this machine. Others were
	// found: they came by copying, or from another machine.
	Made bool
	// Used is when the jar was last used.
	Used time.Time
}

// knownEntry is the file of one.
type knownEntry struct {
	Root Path `json:"root"`
	Made bool `json:"made"`
}

func (l List) file(id string) string { return filepath.Join(l.Dir, id+".json") }

// See notes that a jar was used where it stands; made is true right after this
// program made it. A list that cannot be written loses the note and no more.
func (l List) See(j *jar.Jar, made bool) {
	if l.Dir == "" {
		return
	}
	id := j.ID()
	if have, err := l.read(id); err == nil && have.Root == j.Root && (have.Made || !made) {
		now := time.Now()
		_ = os.Chtimes(l.file(id), now, now)
		return
	}
	_ = change(l.Dir, func() error { return l.enter(j, made) })
}

// enter writes an entry, or corrects the one that there is. The list is held.
func (l List) enter(j *jar.Jar, made bool) error {
	id := j.ID()
	have, err := l.read(id)
	switch {
	case id == "":
		id = j.NewID()
	case err == nil && have.Root != j.Root && stillThere(have):
		id, have.Made = j.NewID(), false // a copy of a jar that goes on
	case err == nil:
		made = made || have.Made // it was moved
	}
	if id == "" {
		return nil
	}
	return l.write(id, Known{Root: j.Root, Made: made})
}

// stillThere reports whether the jar of an entry stands where it was.
func stillThere(k Known) bool { return jar.IDOf(k.Root) == k.ID }

func (l List) read(id string) (Known, error) {
	k := Known{ID: id}
	if id == "" {
		return k, fs.ErrNotExist
	}
	var e knownEntry
	if err := readSmall(l.file(id), &e); err != nil {
		return k, err
	}
	k.Root, k.Made = string(e.Root), e.Made
	if info, err := os.Stat(l.file(id)); err == nil {
		k.Used = info.ModTime()
	}
	return k, nil
}

func (l List) write(id string, k Known) error {
	data, err := json.Marshal(knownEntry{Path(k.Root), k.Made})
	if err != nil {
		return err
	}
	return atomicfile.Write(l.file(id), append(data, '\n'), atomicfile.Options{Temporary: l.Temporary})
}

// change makes one change of a list, alone: what was read before it still holds.
func change(dir string, edit func() error) error {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	held, err := lock.Take(ctx, filepath.Join(dir, lockFile), lock.Mode{})
	if err != nil {
		return err
	}
	defer held.Release()
	return edit()
}

// lockFile is held while a list is changed; nobody has it for long.
const (
	lockFile = ".lock"
	patience = 5 * time.Second
)

// readSmall reads the first value of an entry.
func readSmall(file string, into any) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	return json.NewDecoder(f).Decode(into)
}

// Trusted reports whether this user's program made the jar that stands at root,
// on this machine. Of a jar that came with a copied folder it did not.
func (l List) Trusted(root string) bool {
	k, err := l.read(jar.IDOf(root))
	return err == nil && k.Made && k.Root == root
}

// Has reports whether the jar that stands at root is on the list.
func (l List) Has(root string) bool {
	k, err := l.read(jar.IDOf(root))
	return err == nil && k.Root == root
}

// All are the jars known, by place. Entries whose place now holds another jar
// are left out; those whose jar is gone are in it.
func (l List) All() ([]Known, error) {
	ids, err := idsIn(l.Dir)
	if err != nil {
		return nil, err
	}
	var out []Known
	for _, id := range ids {
		k, err := l.read(id)
		if err != nil {
			continue // a damaged entry is an unknown jar
		}
		if now := jar.IDOf(k.Root); now == "" || now == id {
			out = append(out, k)
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Root < out[j].Root })
	return out, nil
}

// idsIn are the identities of which a folder has entries; none if it is not there.
func idsIn(dir string) ([]string, error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	var out []string
	for _, e := range entries {
		if id, ok := strings.CutSuffix(e.Name(), ".json"); ok && id != "" {
			out = append(out, id)
		}
	}
	return out, err
}

// Forget takes a jar off the list.
func (l List) Forget(id string) error {
	return change(l.Dir, func() error {
		err := os.Remove(l.file(id))
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	})
}
