package jar

import (
	"context"
	"crypto/rand"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"glassjar/core/atomicfile"
	"glassjar/core/digest"
	"glassjar/core/durable"
	"glassjar/core/limits"
	"glassjar/core/store"
)

// Recovery is what was done about a change that was cut off.
type Recovery struct {
	// Undone and Completed tell which; neither where there was nothing to do.
	Undone, Completed bool
	// Left are files that are neither what was there before nor what the change
	// wrote: somebody changed them since. They are as they were found.
	Left []string
}

// RecoverError says that what a change left half done could not be put right. The
// journal is still there, and whoever has the lock next tries again.
type RecoverError struct {
	Jar string
	Err error
}

func (e *RecoverError) Error() string {
	return "the change of " + e.Jar + " that was cut off could not be undone: " + e.Err.Error()
}
func (e *RecoverError) Unwrap() error { return e.Err }

// recover puts right what a killed process left, again and again until that has
// succeeded. This process has the jar's lock.
func (j *Jar) recover(out Outside) error {
	done, err := j.readJournal(doneFile)
	if err != nil {
		return err
	}
	if done != nil {
		if err := j.tidy(done); err != nil {
			return &RecoverError{j.Root, err}
		}
	}
	g, err := j.readJournal(journalFile)
	if err != nil {
		return err
	}
	if g != nil {
		if err := j.putRight(g, out); err != nil {
			return &RecoverError{j.Root, err}
		}
	}
	return j.clearStaging()
}

// trashFolder holds what was taken out of the jar and could not be removed: a program that runs,
// a file that another program has open. It is removed when that has ended.
const trashFolder = ownFolder + "/trash"

// clearStaging removes what was staged by a process that is no more, and what lies in the trash.
// What cannot be removed now is put there; nothing depends on it any more.
func (j *Jar) clearStaging() error {
	j.sweepTrash()
	if _, err := os.Lstat(j.Path(stagingFolder)); errors.Is(err, fs.ErrNotExist) {
		return nil // also where nothing may be written
	}
	err := os.RemoveAll(j.Path(stagingFolder))
	if err == nil || !onWindows {
		return err
	}
	_ = filepath.WalkDir(j.Path(stagingFolder), func(file string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() && os.Remove(file) != nil {
			j.trash(file)
		}
		return nil
	})
	_ = os.RemoveAll(j.Path(stagingFolder)) // the next change tries again
	return nil
}

// trash moves a file out of the way. What cannot be moved either stays where it is.
func (j *Jar) trash(file string) {
	if makeFolder(j.Path(trashFolder)) == nil {
		_ = os.Rename(file, j.Path(trashFolder, rand.Text()))
	}
}

// sweepTrash removes what can be removed by now.
func (j *Jar) sweepTrash() {
	entries, err := os.ReadDir(j.Path(trashFolder))
	if err != nil {
		return
	}
	for _, e := range entries {
		_ = os.RemoveAll(j.Path(trashFolder, e.Name())) // else the next change tries again
	}
	_ = os.Remove(j.Path(trashFolder)) // fails unless it is empty
}

// putRight undoes or completes a change, and forgets it once that is durable.
func (j *Jar) putRight(g *journal, out Outside) error {
	root, err := os.OpenRoot(j.Root)
	if err != nil {
		return err
	}
	defer root.Close()
	disk, err := durable.Open(j.Root)
	if err != nil {
		return err
	}
	defer disk.Close()
	r := newRecovering(j, root, out, g)
	if g.forward {
		err = r.complete(g)
	} else {
		err = r.undo(g)
	}
	if err != nil {
		return err
	}
	if err := r.batch.Flush(disk); err != nil {
		return err
	}
	if err := os.Remove(j.Path(journalFile)); err != nil {
		return err
	}
	if err := durable.Folder(j.Path(ownFolder)); err != nil {
		return err
	}
	j.Recovered.Undone = j.Recovered.Undone || !g.forward && len(g.steps) > 0
	j.Recovered.Completed = j.Recovered.Completed || g.forward && len(g.steps) > 0
	slices.Sort(r.left)
	j.Recovered.Left = append(j.Recovered.Left, slices.Compact(r.left)...)
	return nil
}

// recovering goes over the steps of a journal. What it does in the jar goes through
// root, so that no link leads it out.
type recovering struct {
	jar   *Jar
	root  *os.Root
	out   Outside
	batch durable.Batch
	left  []string
	// taken are the paths of which the change takes away what is there.
	taken map[string]bool
}

func newRecovering(j *Jar, root *os.Root, out Outside, g *journal) *recovering {
	r := &recovering{jar: j, root: root, out: out, taken: map[string]bool{}}
	for _, s := range g.steps {
		if s.kind == stepTake {
			r.taken[s.path] = true
		}
	}
	return r
}

// there reports whether something stands at a path. What cannot be looked at is an error:
// taken for absent it would be forgotten.
func (r *recovering) there(p string) (bool, error) {
	_, err := r.root.Lstat(filepath.FromSlash(p))
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		return false, nil
	}
	return err == nil, err
}

// untouched reports whether what stands at a path is what was there before the change: it is
// to be taken away, and is not in staging, since it was not taken yet or was brought back by an
// undoing that was cut off in its turn.
func (r *recovering) untouched(p string) (bool, error) {
	if !r.taken[p] {
		return false, nil
	}
	kept, err := r.there(path.Join(oldFolder, p))
	return !kept, err
}

// move renames inside the jar.
func (r *recovering) move(from, to string) error {
	if err := r.root.MkdirAll(filepath.FromSlash(path.Dir(to)), 0o777); err != nil {
		return err
	}
	if err := r.root.Rename(filepath.FromSlash(from), filepath.FromSlash(to)); err != nil {
		return err
	}
	r.batch.Folder(r.jar.Path(path.Dir(from)))
	r.batch.Folder(r.jar.Path(path.Dir(to)))
	return nil
}

const undoneFolder = stagingFolder + "/undone"

// undo reverses the steps, the last first. One that was not made is passed over, so
// that a journal can be undone however far it came, and twice.
func (r *recovering) undo(g *journal) error {
	for i := len(g.steps) - 1; i >= 0; i-- {
		s := g.steps[i]
		var err error
		switch s.kind {
		case stepTake:
			err = r.untake(s.path)
		case stepPut, stepTree:
			err = r.unput(s.path)
		default:
			err = r.restore(s)
		}
		if err != nil {
			return err
		}
	}
	for _, s := range g.steps {
		if s.kind == stepPut || s.kind == stepTree {
			r.jar.prune(path.Dir(s.path))
		}
	}
	return nil
}

// untake brings back a file that was taken away. Where one stands in its place by
// now, that one stays.
func (r *recovering) untake(p string) error {
	old := path.Join(oldFolder, p)
	kept, err := r.there(old)
	if err != nil || !kept {
		return err
	}
	switch other, err := r.there(p); {
	case err != nil:
		return err
	case other:
		r.left = append(r.left, p)
		return nil
	}
	return r.move(old, p)
}

// unput takes away what was put into its place: a file, or a folder.
func (r *recovering) unput(p string) error {
	if before, err := r.untouched(p); err != nil || before {
		return err
	}
	if waits, err := r.there(path.Join(newFolder, p)); err != nil || waits {
		return err // it was not put there yet
	}
	info, err := r.root.Lstat(filepath.FromSlash(p))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return err
	case info.IsDir():
		return r.unputFolder(p)
	}
	switch ours, err := r.ours(p); {
	case err != nil:
		return err
	case !ours:
		r.left = append(r.left, p)
		return nil
	}
	return r.move(p, path.Join(undoneFolder, p))
}

// unputFolder takes away a folder that was put there, but for what others have put into it since.
func (r *recovering) unputFolder(p string) error {
	var ours, foreign []string
	err := fs.WalkDir(r.root.FS(), p, func(file string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		mine, err := r.ours(file)
		if mine {
			ours = append(ours, file)
		} else {
			foreign = append(foreign, file)
		}
		return err
	})
	if err != nil {
		return err
	}
	if len(foreign) == 0 {
		return r.move(p, path.Join(undoneFolder, p))
	}
	r.left = append(r.left, foreign...)
	for _, file := range ours {
		if err := r.move(file, path.Join(undoneFolder, file)); err != nil {
			return err
		}
	}
	return nil
}

// ours reports whether a file is as a change of this program puts it: its time is
// the one of its content ([store.Stamp]). Bytecode is an interpreter's, and is made
// anew.
func (r *recovering) ours(p string) (bool, error) {
	info, err := r.root.Lstat(filepath.FromSlash(p))
	if err != nil || !info.Mode().IsRegular() {
		return false, err
	}
	if strings.HasSuffix(p, ".pyc") {
		return true, nil
	}
	sum, err := digest.OfFile(context.Background(), r.jar.Path(p))
	return err == nil && info.ModTime().Equal(store.Stamp(sum)), err
}

// place is where the file of a step stands, and where its copies are in staging.
func (r *recovering) place(s step) (file, name string) {
	if s.kind == stepOwn {
		return r.jar.Path(s.path), s.path
	}
	return r.out.path(s.kind), s.kind
}

// restore brings back a file that was replaced, from its copy.
func (r *recovering) restore(s step) error { return r.replace(s, s.new, s.old, oldFolder) }

// complete makes the steps that are still to be made.
func (r *recovering) complete(g *journal) error {
	for _, s := range g.steps {
		if s.kind == stepTake || s.kind == stepPut || s.kind == stepTree {
			continue // of a jar that was filled before it got its place
		}
		if err := r.replace(s, s.old, s.new, newFolder); err != nil {
			return err
		}
	}
	return nil
}

// replace makes a file that is in one state be in another, of which a copy is in a
// folder of staging. In any third state it is somebody else's.
func (r *recovering) replace(s step, from, to, copies string) error {
	file, name := r.place(s)
	if file == "" {
		return nil // a jar that was moved out of its project
	}
	opt := r.out.options()
	opt.LineEnds = false // the copy has them
	if s.kind == stepOwn {
		opt = atomicfile.Options{}
	} else if target, err := atomicfile.Resolve(file, r.out.Within); err == nil {
		file = target
	}
	now, err := stateOf(file)
	switch {
	case err != nil:
		return err
	case now == to:
		return nil
	case now != from:
		if s.kind == stepOwn {
			file = s.path
		}
		r.left = append(r.left, file)
		return nil
	case to == absent:
		r.batch.Folder(filepath.Dir(file))
		return os.Remove(file)
	}
	kept := r.jar.Path(copies, name)
	if strings.HasPrefix(to, "l") {
		target, err := os.Readlink(kept)
		if err != nil {
			return err
		}
		return r.replaceByLink(target, file)
	}
	data, err := limits.ReadFile(kept, limits.Own)
	if err != nil {
		return err
	}
	if info, err := os.Stat(kept); err == nil {
		opt.Mode = info.Mode().Perm()
	}
	return atomicfile.Write(file, data, opt)
}

// replaceByLink puts a symbolic link in the place of whatever is there. It is made in
// staging, which is removed whatever happens.
func (r *recovering) replaceByLink(target, at string) error {
	temp := r.jar.Path(stagingFolder, "link")
	if err := os.Remove(temp); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err := link(target, temp); err != nil {
		return err
	}
	return os.Rename(temp, at)
}

// tidy removes what is left once a change has happened. It can be done twice.
func (j *Jar) tidy(g *journal) error {
	j.pruneTaken(g)
	if err := j.clearStaging(); err != nil {
		return err
	}
	return os.Remove(j.Path(doneFile))
}

// pruneTaken removes the folders that lost their last file, and the bytecode that
// Python wrote of modules that went; undoing makes folders again. It gives the
// folders that may have lost a name.
func (j *Jar) pruneTaken(g *journal) []string {
	came := map[string]bool{}
	for _, s := range g.steps {
		if s.kind == stepPut {
			came[s.path] = true
		}
	}
	folders := map[string]bool{}
	var left []string
	for _, s := range g.steps {
		if s.kind == stepTake && !came[s.path] {
			folders[path.Dir(s.path)] = true
			left = append(left, s.path)
		}
	}
	for _, file := range j.bytecodeOf(left) {
		os.Remove(j.Path(file))
	}
	var above []string
	for dir := range folders {
		j.prune(dir)
		for ; dir != "."; dir = path.Dir(dir) {
			above = append(above, path.Dir(dir))
		}
	}
	return above
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
