// Package shelf is the list of the jars that are known on a machine, wherever
// they stand: one small file each, named by the jar's identity and holding its
// place. The file's time is when the jar was last used.
//
// A jar carries its identity with it, so that a moved one is known again. A
// copy has the same identity until it is first seen; it then gets its own.
package shelf

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"glassjar/core/jar"
)

// List is a folder of entries. The zero value keeps nothing.
type List struct{ Dir string }

// Known is one jar.
type Known struct {
	ID string `json:"-"`
	// Root is where the jar was last seen.
	Root string `json:"root"`
	// Made tells that this user's program made it on this machine. Others were
	// found: they came by copying, or from another machine.
	Made bool `json:"made"`
	// Used is when the jar was last used.
	Used time.Time `json:"-"`
}

func (l List) file(id string) string { return filepath.Join(l.Dir, id+".json") }

// See notes that a jar was used where it stands; made is true right after this
// program made it. A list that cannot be written loses the note and no more.
func (l List) See(j *jar.Jar, made bool) {
	if l.Dir == "" {
		return
	}
	id := j.ID()
	have, err := l.read(id)
	switch {
	case id == "":
		id = j.NewID()
	case err == nil && have.Root == j.Root && (have.Made || !made):
		now := time.Now()
		_ = os.Chtimes(l.file(id), now, now)
		return
	case err == nil && have.Root != j.Root && stillThere(have):
		id, have.Made = j.NewID(), false // a copy of a jar that goes on
	case err == nil:
		made = made || have.Made // it was moved
	}
	if id != "" {
		_ = l.write(id, Known{Root: j.Root, Made: made})
	}
}

// stillThere reports whether the jar of an entry stands where it was.
func stillThere(k Known) bool { return jar.IDOf(k.Root) == k.ID }

func (l List) read(id string) (Known, error) {
	k := Known{ID: id}
	if id == "" {
		return k, fs.ErrNotExist
	}
	if err := readSmall(l.file(id), &k); err != nil {
		return k, err
	}
	if info, err := os.Stat(l.file(id)); err == nil {
		k.Used = info.ModTime()
	}
	return k, nil
}

func (l List) write(id string, k Known) error {
	data, err := json.Marshal(k)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(l.Dir, 0o755); err != nil {
		return err
	}
	return writeSmall(l.file(id), append(data, '\n'))
}

// writeSmall writes a few bytes over a file, in one write, so that a kill leaves
// the old or the new and no second file; what is left of a longer old one after
// the new is passed over when it is read.
func writeSmall(file string, data []byte) error {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Truncate(int64(len(data))), f.Close())
}

// readSmall reads the first value of such a file.
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
	err := os.Remove(l.file(id))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}
