package shelf

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"time"

	"glassjar/core/atomicfile"
)

// Discarded is a jar that was taken out of its place and can be brought back.
type Discarded struct {
	ID string
	// Root is where it stood, Held where it is now.
	Root, Held string
	At         time.Time
	// Known is its entry of the list of jars, if it was trusted.
	Known Known
}

// discardedEntry is the file of one.
type discardedEntry struct {
	Root Path      `json:"root"`
	Held Path      `json:"held"`
	At   time.Time `json:"at"`
	// Known is there of a jar that was trusted.
	Known *knownEntry `json:"known,omitempty"`
}

// DiscardedList is a folder with an entry for each discarded jar.
type DiscardedList struct {
	Dir string
	// Temporary notes temporaries; see [atomicfile.Options].
	Temporary func(prefix string) (path string, done func())
}

func (l DiscardedList) file(id string) string { return filepath.Join(l.Dir, id+".json") }

// Put notes a jar, before it is moved.
func (l DiscardedList) Put(d Discarded) error {
	entry := discardedEntry{Root: Path(d.Root), Held: Path(d.Held), At: d.At.UTC()}
	if d.Known.Made {
		entry.Known = d.Known.entry()
	}
	data, err := json.Marshal(entry)
	if err != nil {
		return err
	}
	return change(l.Dir, func() error {
		return atomicfile.Write(l.file(d.ID), append(data, '\n'), atomicfile.Options{Temporary: l.Temporary})
	})
}

// Drop forgets a jar.
func (l DiscardedList) Drop(id string) error {
	return change(l.Dir, func() error {
		if err := os.Remove(l.file(id)); !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return nil
	})
}

// All are the jars noted, in the order in which they were discarded.
func (l DiscardedList) All() ([]Discarded, error) {
	ids, err := idsIn(l.Dir)
	if err != nil {
		return nil, err
	}
	var out []Discarded
	for _, id := range ids {
		var e discardedEntry
		if readSmall(l.file(id), &e) == nil && e.Held != "" {
			d := Discarded{ID: id, Root: string(e.Root), Held: string(e.Held), At: e.At}
			if e.Known != nil {
				d.Known = e.Known.known(id)
			}
			out = append(out, d)
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].At.Before(out[j].At) })
	return out, nil
}
