package shelf

import (
	"crypto/rand"
	"encoding/hex"
	"os"
	"path/filepath"
	"strings"

	"github.com/gofrs/flock"
)

// Making is a folder with an entry for each folder that is being filled by some
// process before it gets its place. The entry is there before the folder, and
// held by its process: what a killed one left can be told and removed.
type Making struct{ Dir string }

// makingMark is in the name of every folder that is being filled; nothing else
// is ever removed.
const makingMark = ".new-"

// Begin gives the path of a folder to fill beside root, and what to call once it
// has its place or is given up. A list that cannot be written is no obstacle.
func (l Making) Begin(root string) (temp string, done func()) {
	raw := make([]byte, 6)
	_, _ = rand.Read(raw) // never fails
	name := hex.EncodeToString(raw)
	temp = root + makingMark + name
	entry := filepath.Join(l.Dir, name)
	if os.MkdirAll(l.Dir, 0o755) != nil {
		return temp, func() {}
	}
	lock := flock.New(entry, flock.SetPermissions(0o644))
	if ok, err := lock.TryLock(); err != nil || !ok || !held(lock, entry) {
		_ = lock.Unlock()
		return temp, func() {} // a sweeper was faster: this one is not noted
	}
	if os.WriteFile(entry, []byte(temp), 0o644) != nil {
		os.Remove(entry)
	}
	return temp, func() {
		os.Remove(entry)
		_ = lock.Unlock()
	}
}

// held reports whether the file that is locked still stands at its path.
func held(lock *flock.Flock, path string) bool {
	at, err := os.Stat(path)
	if err != nil {
		return false
	}
	mine, err := lock.Stat()
	return err == nil && os.SameFile(at, mine)
}

// Sweep removes the folders of processes that are no more.
func (l Making) Sweep() {
	entries, err := os.ReadDir(l.Dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		entry := filepath.Join(l.Dir, e.Name())
		lock := flock.New(entry)
		if ok, err := lock.TryLock(); err != nil || !ok {
			continue // its process is at work
		}
		temp, err := os.ReadFile(entry)
		if err == nil && strings.HasSuffix(string(temp), makingMark+e.Name()) && filepath.IsAbs(string(temp)) {
			os.RemoveAll(string(temp))
		}
		os.Remove(entry)
		_ = lock.Unlock()
	}
}
