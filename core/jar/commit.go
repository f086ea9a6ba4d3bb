package jar

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sort"

	"glassjar/core/atomicfile"
	"glassjar/core/durable"
	"glassjar/core/internal/retry"
)

// commit makes the change that was staged. Its order is what keeps it whole through
// kills, errors and power cuts:
//
//  1. what was staged, copies of what will be replaced, and the journal are flushed;
//  2. the journal gets its name, which is flushed: from here on the change is undone
//     by whoever has the lock next;
//  3. the steps are made, and all that they touched is flushed;
//  4. the journal gets its other name, which is flushed: the change has happened;
//  5. what was taken away is removed.
func (a *application) commit(ctx context.Context) error {
	j := a.jar
	if err := a.planPuts(); err != nil {
		return errors.Join(err, a.clear())
	}
	for _, file := range a.change.Placer.Written() {
		a.batch.File(file)
	}
	g, staged, err := a.prepare()
	if err == nil {
		err = ctx.Err()
	}
	if err == nil {
		err = a.change.Flush(&a.batch)
	}
	if err == nil && len(g.steps) > 0 {
		err = j.begin(staged)
	}
	if err != nil {
		return errors.Join(err, a.abandon())
	}
	if len(g.steps) == 0 {
		return a.clear()
	}
	after := &durable.Batch{}
	for _, s := range g.steps {
		if err := a.make(s, after); err != nil {
			return errors.Join(err, a.undo(g))
		}
	}
	// Whoever looks after this sees nothing of what went.
	for _, dir := range j.pruneTaken(g) {
		after.Folder(j.Path(dir))
	}
	after.Count(len(g.steps))
	if err := after.Flush(a.disk); err != nil {
		return errors.Join(err, a.undo(g))
	}
	if err := os.Rename(j.Path(journalFile), j.Path(doneFile)); err != nil {
		return errors.Join(err, a.undo(g))
	}
	if err := durable.Folder(j.Path(ownFolder)); err != nil {
		return err
	}
	_ = j.tidy(g) // what is left is removed by whoever has the lock next
	return nil
}

// abandon gives up a change of which no step was made. The journal may have its
// name already.
func (a *application) abandon() error {
	if err := os.Remove(a.jar.Path(journalFile)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return a.clear()
}

// undo takes back the steps that were made. Where that fails the journal stays, and
// whoever has the lock next goes on.
func (a *application) undo(g *journal) error {
	a.dropPending()
	if err := a.jar.putRight(g, a.change.Outside); err != nil {
		return &RecoverError{a.jar.Root, err}
	}
	a.jar.Recovered = Recovery{} // this command says itself what went wrong
	return a.jar.clearStaging()
}

// prepare stages what is replaced, with copies of what is there, and the journal.
func (a *application) prepare() (*journal, string, error) {
	names := make([]string, 0, len(a.change.Own))
	for name := range a.change.Own {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		if err := a.prepareOwn(name, a.change.Own[name]); err != nil {
			return nil, "", err
		}
	}
	if err := a.prepareText(stepSpec, a.change.Spec); err != nil {
		return nil, "", err
	}
	if err := a.prepareText(stepRecord, a.change.Record); err != nil {
		return nil, "", err
	}
	g := &journal{steps: a.steps}
	staged, err := g.write(a.jar)
	a.batch.File(staged)
	a.batch.Folder(filepath.Dir(staged))
	a.batch.Folder(a.jar.Path(ownFolder))
	return g, staged, err
}

func (a *application) prepareOwn(name string, f OwnFile) error {
	if !a.jar.realFolders().free(path.Dir(name)) {
		return &fs.PathError{Op: "write", Path: a.jar.Path(name), Err: errors.New("a folder above it is a link, or none")}
	}
	was, err := stateOf(a.jar.Path(name))
	if err != nil || was == f.state() {
		return err
	}
	s := step{kind: stepOwn, path: name, old: was, new: f.state()}
	if !mayStep(s) {
		return fmt.Errorf("%s is no file of the jar's own", name)
	}
	if err := a.keepCopy(a.jar.Path(name), was, name); err != nil {
		return err
	}
	if !f.Gone {
		if err := f.write(a.jar.Path(newFolder, name)); err != nil {
			return err
		}
		a.flushLater(newFolder, name, f.Link == "")
	}
	a.steps = append(a.steps, s)
	return nil
}

// flushLater adds a staged file, and the folders that were made for it.
func (a *application) flushLater(folder, name string, file bool) {
	at := path.Join(folder, name)
	if file {
		a.batch.File(a.jar.Path(at))
	}
	for dir := path.Dir(at); dir != "."; dir = path.Dir(dir) {
		a.batch.Folder(a.jar.Path(dir))
	}
}

// keepCopy copies what is to be replaced: bytes of its own, which nobody changes in
// place.
func (a *application) keepCopy(file, state, name string) error {
	if state == absent {
		return nil
	}
	at := a.jar.Path(oldFolder, name)
	if err := makeFolder(filepath.Dir(at)); err != nil {
		return err
	}
	if state[0] == 'l' {
		target, err := os.Readlink(file)
		if err == nil {
			err = link(target, at)
		}
		a.flushLater(oldFolder, name, false)
		return err
	}
	if state[0] != 'f' {
		return &fs.PathError{Op: "replace", Path: file, Err: errors.New("it is not a file")}
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	if "f"+sumOf(data) != state {
		return &fs.PathError{Op: "replace", Path: file, Err: errors.New("it is being changed by somebody else")}
	}
	a.flushLater(oldFolder, name, true)
	if err := os.WriteFile(at, data, 0o600); err != nil {
		return err
	}
	return os.Chmod(at, info.Mode().Perm()|0o400)
}

// prepareText fills a file outside of the jar beside its place.
func (a *application) prepareText(kind string, text *Text) error {
	file := a.change.Outside.path(kind)
	if text == nil || file == "" {
		return nil
	}
	target, err := atomicfile.Resolve(file, a.change.Outside.Within)
	if err != nil {
		return err
	}
	s := step{kind: kind, new: absent}
	if s.old, err = stateOf(target); err != nil {
		return err
	}
	if err := a.keepCopy(target, s.old, kind); err != nil {
		return err
	}
	if !text.Gone {
		p, err := atomicfile.Stage(file, text.Data, a.change.Outside.options())
		if err != nil {
			return err
		}
		if a.pending == nil {
			a.pending = map[string]*atomicfile.Pending{}
		}
		a.pending[kind] = p
		if s.new, err = stateOf(p.Temp); err != nil {
			return err
		}
		if err := a.flushOutside(p.Temp, durable.File, a.batch.File); err != nil {
			return err
		}
	}
	if s.new != s.old {
		a.steps = append(a.steps, s)
	}
	return nil
}

func (a *application) dropPending() {
	for _, p := range a.pending {
		p.Drop()
	}
}

// make makes one step, and adds the folders that it touched to a batch.
func (a *application) make(s step, after *durable.Batch) error {
	j := a.jar
	switch s.kind {
	case stepTake:
		if err := makeFolder(filepath.Dir(j.Path(oldFolder, s.path))); err != nil {
			return err
		}
		after.Folder(filepath.Dir(j.Path(s.path)))
		err := retry.WhileBusy(func() error { return os.Rename(j.Path(s.path), j.Path(oldFolder, s.path)) })
		if fault := (*os.LinkError)(nil); errors.As(err, &fault) { // the user knows nothing of where it was to go
			return &fs.PathError{Op: "take out", Path: j.Path(s.path), Err: fault.Err}
		}
		return err
	case stepPut, stepTree:
		if err := makeFolder(filepath.Dir(j.Path(s.path))); err != nil {
			return err
		}
		for dir := path.Dir(s.path); ; dir = path.Dir(dir) {
			after.Folder(j.Path(dir))
			if dir == "." || dir == path.Dir(dir) {
				break
			}
		}
		return rename(j.Path(newFolder, s.path), j.Path(s.path))
	case stepOwn:
		after.Folder(filepath.Dir(j.Path(s.path)))
		if s.new == absent {
			return os.Remove(j.Path(s.path))
		}
		if err := makeFolder(filepath.Dir(j.Path(s.path))); err != nil {
			return err
		}
		return rename(j.Path(newFolder, s.path), j.Path(s.path))
	}
	return a.makeText(s, after)
}

// makeText replaces the spec or the record, if it is still what it was.
func (a *application) makeText(s step, after *durable.Batch) error {
	target, err := atomicfile.Resolve(a.change.Outside.path(s.kind), a.change.Outside.Within)
	if err != nil {
		return err
	}
	now, err := stateOf(target)
	if err == nil && now != s.old {
		err = &fs.PathError{Op: "replace", Path: target, Err: errors.New("somebody changed it meanwhile")}
	}
	if err == nil && s.new == absent {
		err = os.Remove(target)
	} else if err == nil {
		err = a.pending[s.kind].Commit()
	}
	if err != nil {
		return err
	}
	return a.flushOutside(filepath.Dir(target), durable.Folder, after.Folder)
}

// flushOutside makes what stands outside of the jar durable later, with a batch of the jar's; at once
// where it stands on another disk, which the batch may not reach.
func (a *application) flushOutside(at string, now func(string) error, later func(string)) error {
	if !durable.SameDisk(at, a.jar.Root) {
		return now(at)
	}
	later(at)
	return nil
}

// rename moves a file; what stands on another file system inside a jar is copied,
// and gets its name only once it is whole.
func rename(from, to string) error {
	err := retry.WhileBusy(func() error { return os.Rename(from, to) })
	if !crossDevice(err) {
		return err
	}
	info, err := os.Lstat(from)
	if err != nil {
		return err
	}
	if info.IsDir() {
		return renameFolder(from, to)
	}
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	if err := atomicfile.Write(to, data, atomicfile.Options{Mode: info.Mode().Perm()}); err != nil {
		return err
	}
	if err := os.Chtimes(to, info.ModTime(), info.ModTime()); err != nil {
		return err
	}
	return os.Remove(from)
}

func renameFolder(from, to string) error {
	entries, err := os.ReadDir(from)
	if err == nil {
		err = makeFolder(to)
	}
	for _, e := range entries {
		if err == nil {
			err = rename(filepath.Join(from, e.Name()), filepath.Join(to, e.Name()))
		}
	}
	if err != nil {
		return err
	}
	return os.Remove(from)
}
