package shelf

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"time"
)

// Discarded is a jar that was taken out of its place and can be brought back.
type Discarded struct {
	ID string `json:"-"`
	// Root is where it stood, Held where it is now.
	Root string    `json:"root"`
	Held string    `json:"held"`
	At   time.Time `json:"at"`
}

// AwayList is a folder with an entry for each discarded jar.
type AwayList struct{ Dir string }

func (l AwayList) file(id string) string { return filepath.Join(l.Dir, id+".json") }

// Put notes a jar, before it is moved.
func (l AwayList) Put(id, root, held string, at time.Time) error {
	data, err := json.Marshal(Discarded{Root: root, Held: held, At: at.UTC()})
	if err != nil {
		return err
	}
	if err := os.MkdirAll(l.Dir, 0o755); err != nil {
		return err
	}
	return writeSmall(l.file(id), append(data, '\n'))
}

// Drop forgets a jar.
func (l AwayList) Drop(id string) error {
	if err := os.Remove(l.file(id)); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// All are the jars noted, in the order in which they were discarded.
func (l AwayList) All() ([]Discarded, error) {
	ids, err := idsIn(l.Dir)
	if err != nil {
		return nil, err
	}
	var out []Discarded
	for _, id := range ids {
		d := Discarded{ID: id}
		if readSmall(l.file(id), &d) == nil && d.Held != "" {
			out = append(out, d)
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].At.Before(out[j].At) })
	return out, nil
}
