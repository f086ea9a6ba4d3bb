package jar

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/gofrs/flock"
)

// move is one renaming; paths are absolute in memory. In the journal those of
// the jar are relative to it, since a jar may be moved.
type move struct{ From, To string }

const (
	journalFile = ownFolder + "/journal.json"
	// settledFile is the journal of a change that has happened and is only to be
	// tidied up after.
	settledFile = ownFolder + "/settled.json"
	lockFile    = ownFolder + "/lock"
)

// Lock waits until no other process changes the jar, and keeps others out
// until unlock is called. What is read before a change belongs inside the lock
// too: specs and records are read, changed and written. busy, if not nil, is
// called once before waiting begins; its error ends it.
func (j *Jar) Lock(busy func() error) (unlock func(), err error) {
	l := flock.New(j.Path(lockFile), flock.SetPermissions(0o644))
	ok, err := l.TryLock()
	if err != nil {
		return nil, err
	}
	if !ok && busy != nil {
		if err := busy(); err != nil {
			return nil, err
		}
	}
	if !ok {
		if err := l.Lock(); err != nil {
			return nil, err
		}
	}
	return func() { _ = l.Unlock() }, nil
}

// move makes all moves or none. The list is on disk before the first move, so
// that a killed process's work can be undone; removing it settles the change.
func (j *Jar) move(moves []move) error {
	if err := j.writeJournal(moves); err != nil {
		return err
	}
	for i, m := range moves {
		err := makeFolder(filepath.Dir(m.To))
		if err == nil {
			err = rename(m.From, m.To)
		}
		if err != nil {
			j.undo(moves[:i+1])
			os.Remove(j.Path(journalFile))
			return err
		}
	}
	// From here on the change has happened.
	if err := os.Rename(j.Path(journalFile), j.Path(settledFile)); err != nil {
		return err
	}
	j.tidy(moves)
	return os.Remove(j.Path(settledFile))
}

// tidy removes what is left once a change has settled: bytecode of removed
// modules, and folders that became empty. It can be done twice.
func (j *Jar) tidy(moves []move) {
	folders, came := map[string]bool{}, map[string]bool{}
	var left []string
	for _, m := range moves {
		came[j.relative(m.To)] = true
	}
	for _, m := range moves {
		file := j.relative(m.From)
		if !strings.HasPrefix(j.relative(m.To), oldFolder+"/") || filepath.IsAbs(file) || came[file] {
			continue
		}
		folders[path.Dir(file)] = true
		left = append(left, file)
	}
	// What Python wrote while the change was made.
	for _, file := range j.bytecodeOf(left) {
		os.Remove(j.Path(file))
	}
	for dir := range folders {
		j.prune(dir)
	}
}

// rename moves a file, also to another file system, where the copy gets its
// name only once it is whole.
func rename(from, to string) error {
	err := os.Rename(from, to)
	if !errors.Is(err, syscall.EXDEV) {
		return err
	}
	info, err := os.Stat(from)
	if err != nil {
		return err
	}
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	if err := writeFile(to, data, info.Mode().Perm()); err != nil {
		return err
	}
	return os.Remove(from)
}

func (j *Jar) writeJournal(moves []move) error {
	list := make([]move, len(moves))
	for i, m := range moves {
		list[i] = move{j.relative(m.From), j.relative(m.To)}
	}
	data, err := json.Marshal(list)
	if err != nil {
		return err
	}
	// Written in the staging folder and moved: a kill leaves the whole or nothing.
	staged := j.Path(stagingFolder, "journal")
	if err := makeFolder(filepath.Dir(staged)); err != nil {
		return err
	}
	if err := writeFile(staged, data, 0o644); err != nil {
		return err
	}
	return os.Rename(staged, j.Path(journalFile))
}

func (j *Jar) relative(p string) string {
	if rest, ok := strings.CutPrefix(p, j.Root+string(filepath.Separator)); ok {
		return filepath.ToSlash(rest)
	}
	return p
}

// undo reverses moves, and removes the folders that were made for them. A move
// that was not made is passed over, so that a journal can be undone however far
// it came, and twice.
func (j *Jar) undo(moves []move) {
	for i := len(moves) - 1; i >= 0; i-- {
		m := moves[i]
		if _, err := os.Lstat(m.From); err == nil {
			continue
		}
		if _, err := os.Lstat(m.To); err != nil {
			continue
		}
		if makeFolder(filepath.Dir(m.From)) == nil {
			_ = rename(m.To, m.From)
		}
	}
	for _, m := range moves {
		if rel := j.relative(m.To); !filepath.IsAbs(rel) {
			j.prune(path.Dir(rel))
		}
	}
}

// prune removes a folder of the jar and those above it as far as they are
// empty and not part of every jar.
func (j *Jar) prune(dir string) {
	keep := map[string]bool{".": true, j.Layout().Scripts(): true, ownFolder: true}
	for _, site := range j.Sites() {
		keep[site] = true
	}
	for ; !keep[dir] && !strings.HasPrefix(dir, ".."); dir = path.Dir(dir) {
		os.Remove(j.Path(dir, "__pycache__"))
		if os.Remove(j.Path(dir)) != nil { // fails unless it is empty
			return
		}
	}
}

// recover undoes a change that was cut off, unless the process that makes it
// is still at work.
func (j *Jar) recover() (bool, error) {
	_, journal := os.Lstat(j.Path(journalFile))
	_, staging := os.Lstat(j.Path(stagingFolder))
	_, settled := os.Lstat(j.Path(settledFile))
	if journal != nil && staging != nil && settled != nil {
		return false, nil
	}
	l := flock.New(j.Path(lockFile), flock.SetPermissions(0o644))
	if ok, err := l.TryLock(); err != nil || !ok {
		return false, nil // busy, or a jar that this user may only read
	}
	defer func() { _ = l.Unlock() }()
	undone := false
	if moves, err := j.readJournal(settledFile); err == nil {
		j.tidy(moves)
		if err := os.Remove(j.Path(settledFile)); err != nil {
			return false, err
		}
	}
	moves, err := j.readJournal(journalFile)
	switch {
	case err == nil:
		j.undo(moves)
		undone = len(moves) > 0
		if err := os.Remove(j.Path(journalFile)); err != nil {
			return undone, err
		}
	case !errors.Is(err, fs.ErrNotExist):
		return false, err
	}
	return undone, os.RemoveAll(j.Path(stagingFolder))
}

// readJournal reads the moves of a change. A journal is moved into place whole; a
// damaged one was never begun, and has none.
func (j *Jar) readJournal(name string) ([]move, error) {
	data, err := os.ReadFile(j.Path(name))
	if err != nil {
		return nil, err
	}
	var moves []move
	if json.Unmarshal(data, &moves) != nil {
		return nil, nil
	}
	for i, m := range moves {
		moves[i] = move{j.absolute(m.From), j.absolute(m.To)}
	}
	return moves, nil
}

func (j *Jar) absolute(p string) string {
	if filepath.IsAbs(p) {
		return p
	}
	return j.Path(p)
}
