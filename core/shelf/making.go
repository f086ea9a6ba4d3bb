package shelf

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/lock"
)

// Making is a folder with an entry for each file or folder that is being filled by
// some process before it gets its place, or is being removed. The entry is there
// before it, and held by its process: what a killed one left can be told and removed.
type Making struct{ Dir string }

// makingMark is in the name of everything that is being filled; nothing else
// is ever removed.
const makingMark = ".new-"

// Begin gives the path of something to fill beside root, and what to call once it
// has its place or is given up. A list that cannot be written is no obstacle.
func (l Making) Begin(root string) (temp string, done func()) {
	raw := make([]byte, 6)
	_, _ = rand.Read(raw) // never fails
	name := hex.EncodeToString(raw)
	temp = root + makingMark + name
	entry := filepath.Join(l.Dir, name)
	held, err := lock.Try(entry, lock.Mode{})
	if err != nil || held == nil {
		return temp, func() {} // a sweeper was faster: this one is not noted
	}
	if fill(entry, temp) != nil {
		os.Remove(entry)
	}
	return temp, func() {
		if _, err := os.Lstat(temp); err == nil {
			held.Release() // it could not be removed: the entry stays, for a sweeper
			return
		}
		held.Remove()
	}
}

// fill writes the text of an entry, which is empty. It is not truncated: some file systems then
// bring the file to the disk as soon as it is closed, and its removal waits for that.
func fill(entry, text string) error {
	f, err := os.OpenFile(entry, os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	_, err = f.WriteString(text)
	return errors.Join(err, f.Close())
}

// Sweep removes what processes left that are no more.
func (l Making) Sweep() {
	entries, err := os.ReadDir(l.Dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		entry := filepath.Join(l.Dir, e.Name())
		held, err := lock.Try(entry, lock.Mode{InPlace: true})
		if err != nil || held == nil {
			continue // its process is at work
		}
		temp, err := os.ReadFile(entry)
		if err == nil && strings.HasSuffix(string(temp), makingMark+e.Name()) && filepath.IsAbs(string(temp)) {
			if os.RemoveAll(string(temp)) != nil {
				held.Release() // the next one tries it again
				continue
			}
		}
		held.Remove()
	}
}
