// Package shelf is the list of the jars that are known on a machine, wherever
// they stand: one small file each, named by the jar's identity and holding its
// place. The file's time is when the jar was last used; that of a jar that may not have its
// place yet is the year 1970.
//
// A jar carries its identity with it, so that a moved one is known again. An entry also
// holds by what a jar is told from one that only looks like it: the file of its
// identity, and what its interpreter's link and pyvenv.cfg said. A copy, or a jar that
// somebody else changed there, is not the one that was made here.
package shelf

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/guard"
	"glassjar/core/jar"
	"glassjar/core/limits"
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
	// Made tells that this user's program made it on this machine, or that the user
	// said to trust it.
	Made bool
	// Used is when the jar was last used.
	Used time.Time

	expected bool
	marks    marks
}

// marks are what a jar of the list looks like.
type marks struct {
	// Device and File are the file of its identity, Owner whose it is.
	Device uint64 `json:"device,omitempty"`
	File   uint64 `json:"file,omitempty"`
	Owner  string `json:"owner,omitempty"`
	// Looks are what [jar.Looks] may give: while a change of the jar is under way, both
	// as it was and as it will be.
	Looks []string `json:"looks,omitempty"`
}

func (m marks) equal(n marks) bool {
	return m.Device == n.Device && m.File == n.File && m.Owner == n.Owner && slices.Equal(m.Looks, n.Looks)
}

// knownEntry is the file of one.
type knownEntry struct {
	Root Path `json:"root"`
	Made bool `json:"made"`
	marks
}

func (k Known) entry() *knownEntry {
	return &knownEntry{Path(k.Root), k.Made, k.marks}
}

func (e knownEntry) known(id string) Known {
	return Known{ID: id, Root: string(e.Root), Made: e.Made, marks: e.marks}
}

// File is the file of a jar, by its identity.
func (l List) File(id string) string { return filepath.Join(l.Dir, id+".json") }

// See notes that a jar was used where it stands, and reports whether it was noted at another place
// before. A list that cannot be written loses the note and no more. What is not trusted is not to be seen: it gets an identity of
// its own where it is a copy, and so is written to.
func (l List) See(j *jar.Jar) (moved bool) {
	if l.Dir == "" {
		return false
	}
	id := j.ID()
	if have, err := l.read(id); err == nil && sameJar(have.Root, j.Root) && !have.toBeMarked(j.Root) {
		now := time.Now()
		_ = os.Chtimes(l.File(id), now, now)
		return false
	}
	_ = change(l.Dir, func() error {
		id, have := l.identify(j)
		if id == "" {
			return nil
		}
		if have.toBeMarked(j.Root) && have.isAt(j.Root) {
			have.marks, _ = marksOf(j.Root) // it was just looked at
		}
		moved = have.Root != "" && have.Root != j.Root
		have.Root = j.Root
		return l.write(id, have)
	})
	return moved
}

// Trust notes a jar as one that is trusted as it is now: this program has just made or
// changed it, or the user says so. further are looks that it may have besides, for as
// long as a change is under way.
func (l List) Trust(j *jar.Jar, further ...string) error {
	if l.Dir == "" {
		return nil
	}
	return change(l.Dir, func() error {
		id, have := l.identify(j)
		if id == "" {
			return &fs.PathError{Op: "write", Path: j.Root, Err: errors.New("the jar has no identity and cannot be given one")}
		}
		m, err := marksOf(j.Root)
		if err != nil {
			return err
		}
		m.Looks = append(m.Looks, further...)
		if have.Root == j.Root && have.Made && have.marks.equal(m) { // it says so already, for good
			now := time.Now()
			return os.Chtimes(l.File(id), now, now)
		}
		return l.write(id, Known{Root: j.Root, Made: true, marks: m})
	})
}

// Expect is [List.Trust] for a new jar that is about to get its place at root.
func (l List) Expect(j *jar.Jar, root string) error {
	if l.Dir == "" {
		return nil
	}
	m, err := marksOf(j.Root)
	if err != nil {
		return err
	}
	return change(l.Dir, func() error { return l.write(j.ID(), Known{Root: root, Made: true, expected: true, marks: m}) })
}

// identify gives the identity of a jar and the entry there is of it. A copy of a jar
// that goes on gets an identity of its own; empty if it cannot be written to. The list
// is held.
func (l List) identify(j *jar.Jar) (string, Known) {
	id := j.ID()
	have, err := l.read(id)
	if id == "" || err == nil && !sameJar(have.Root, j.Root) && stillThere(have) {
		return j.NewID(), Known{}
	}
	return id, have
}

// marksOf looks at the jar at root.
func marksOf(root string) (marks, error) {
	file, err := jar.IdentityFile(root)
	if err != nil {
		return marks{}, err
	}
	looks, err := jar.Looks(root)
	return marks{Device: file.Device, File: file.File, Owner: file.Owner, Looks: looks}, err
}

// isAt reports whether the jar at root is the one that the entry tells of. The number of
// a device may be another after a start of the system; then its place must be the same.
// The entry of an older version has no marks, and goes by the place alone.
func (k Known) isAt(root string) bool {
	m := k.marks
	if len(m.Looks) == 0 {
		return real(root) == real(k.Root)
	}
	now, err := marksOf(root)
	if err != nil || now.File != m.File || now.Owner != m.Owner || now.Device != m.Device && real(root) != real(k.Root) {
		return false
	}
	for _, look := range now.Looks {
		if !slices.Contains(m.Looks, look) {
			return false
		}
	}
	return true
}

// sameJar reports whether two paths lead to one jar, perhaps by a link.
func sameJar(a, b string) bool {
	if a == b {
		return true
	}
	x, err := jar.IdentityFile(a)
	y, err2 := jar.IdentityFile(b)
	return err == nil && err2 == nil && x.Same(y)
}

// stillThere reports whether the jar of an entry stands where it was.
func stillThere(k Known) bool { return jar.IDOf(k.Root) == k.ID }

func (l List) read(id string) (Known, error) {
	k := Known{ID: id}
	if id == "" {
		return k, fs.ErrNotExist
	}
	var e knownEntry
	if err := readSmall(l.File(id), &e); err != nil {
		return k, err
	}
	k = e.known(id)
	if info, err := os.Stat(l.File(id)); err == nil {
		k.Used, k.expected = info.ModTime(), info.ModTime().Equal(notYet)
	}
	if k.expected { // a power cut may leave it so after the jar has its place
		k.Used = time.Time{}
		if info, err := os.Stat(k.Root); err == nil {
			k.Used = info.ModTime()
		}
	}
	return k, nil
}

func (l List) write(id string, k Known) error {
	data, err := json.Marshal(k.entry())
	if err != nil {
		return err
	}
	opt := atomicfile.Options{Temporary: l.Temporary}
	if k.expected {
		opt.Time = notYet
	}
	return atomicfile.Write(l.File(id), append(data, '\n'), opt)
}

// notYet is the time of the entry of a jar that may not have its place yet.
var notYet = time.Unix(0, 0)

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

// lockFile is held while a list is changed; nobody has it for long, but on a machine that is busy.
const (
	lockFile = ".lock"
	patience = time.Minute
)

// readSmall reads the first value of an entry.
func readSmall(file string, into any) error {
	data, err := limits.ReadFile(file, limits.Own)
	if err != nil {
		return err
	}
	return json.NewDecoder(bytes.NewReader(data)).Decode(into)
}

// toBeMarked reports whether the marks of a trusted jar are to be noted anew: there are
// none yet, or its device has another number.
func (k Known) toBeMarked(root string) bool {
	now, err := jar.IdentityFile(root)
	return err == nil && k.Made && (len(k.marks.Looks) == 0 || now.Device != k.marks.Device)
}

func real(path string) string {
	if real, err := filepath.EvalSymlinks(path); err == nil {
		return real
	}
	return path
}

// Find is the entry of the jar that stands at root, and whether it is trusted; without
// an identity for a jar of which there is none.
func (l List) Find(root string) (k Known, trusted bool) {
	k, err := l.read(jar.IDOf(root))
	if err != nil || k.Root != root && !k.isAt(root) {
		return Known{}, false
	}
	return k, k.Made && k.isAt(root)
}

// Restore writes an entry again as it was; the jar is in its place.
func (l List) Restore(k Known) error {
	return change(l.Dir, func() error { return l.write(k.ID, k) })
}

// Trusted reports whether the jar that stands at root is one that this user's program
// made on this machine, or that the user trusted, and is still as it was then. A
// renaming on one file system is no matter; a copy is another jar.
func (l List) Trusted(root string) bool {
	_, trusted := l.Find(root)
	return trusted
}

// Has reports whether the jar that stands at root is on the list.
func (l List) Has(root string) bool {
	k, err := l.read(jar.IDOf(root))
	return err == nil && k.Root == root
}

// All are the jars known, by place. Entries whose place now holds another jar are left out; those
// whose jar is gone are in it, of one place the one that was used last.
func (l List) All() ([]Known, error) {
	ids, err := idsIn(l.Dir)
	if err != nil {
		return nil, err
	}
	found := make([]Known, len(ids))
	group := guard.New()
	group.SetLimit(2 * runtime.NumCPU())
	for i, id := range ids {
		group.Go(func() error {
			k, err := l.read(id)
			if err != nil {
				return nil // a damaged entry is an unknown jar
			}
			if now := jar.IDOf(k.Root); now == "" && !k.expected || now == id {
				found[i] = k
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	found = slices.DeleteFunc(found, func(k Known) bool { return k.ID == "" })
	slices.SortFunc(found, func(a, b Known) int {
		return cmp.Or(strings.Compare(a.Root, b.Root), b.Used.Compare(a.Used), strings.Compare(a.ID, b.ID))
	})
	return slices.CompactFunc(found, func(a, b Known) bool { return a.Root == b.Root }), nil
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
		err := os.Remove(l.File(id))
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	})
}
