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
}

// discardedEntry is the file of one.
type discardedEntry struct {
	Root Path      `json:"root"`
	Held Path      `json:"held"`
	At   time.Time `json:"at"`
}

// AwayList is a folder with an entry for each discarded jar.
type AwayList struct {
	Dir string
	// Temporary notes temporaries; see [atomicfile.Options].
	Temporary func(prefix string) (path string, done func())
}

func (l AwayList) file(id string) string { return filepath.Join(l.Dir, id+".json") }

// Put notes a jar, before it is moved.
func (l AwayList) Put(id, root, held string, at time.Time) error {
	data, err := json.Marshal(discardedEntry{Path(root), Path(held), at.UTC()})
	if err != nil {
		return err
	}
	return change(l.Dir, func() error {
		return atomicfile.Write(l.file(id), append(data, '\n'), atomicfile.Options{Temporary: l.Temporary})
	})
}

// Drop forgets a jar.
func (l AwayList) Drop(id string) error {
	return change(l.Dir, func() error {
		if err := os.Remove(l.file(id)); !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return nil
	})
}

// All are the jars noted, in the order in which they were discarded.
func (l AwayList) All() ([]Discarded, error) {
	ids, err := idsIn(l.Dir)
	if err != nil {
		return nil, err
	}
	var out []Discarded
	for _, id := range ids {
		var e discardedEntry
		if readSmall(l.file(id), &e) == nil && e.Held != "" {
			out = append(out, Discarded{id, string(e.Root), string(e.Held), e.At})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].At.Before(out[j].At) })
	return out, nil
}
