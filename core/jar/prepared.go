package jar

import (
	"context"
	"os"
	"path/filepath"

	"glassjar/core/durable"
)

// fillUnseen ends a change of a jar that nobody can see yet: its own files go to
// their places at once; spec and record wait for [Jar.Commit].
func (a *application) fillUnseen() error {
	j := a.jar
	if err := j.writeOwn(a.change.Own); err != nil {
		return err
	}
	j.staged = a.batch
	j.texts, j.outside, j.flush = map[string]*Text{stepSpec: a.change.Spec, stepRecord: a.change.Record}, a.change.Outside, a.change.Flush
	return nil
}

// Commit gives a jar that was filled beside its place its place, and spec and record
// with it. All of it is durable first; the jar is there from one renaming on, and
// what of spec and record is written after that is completed by whoever has the
// jar's lock next.
func (j *Jar) Commit(ctx context.Context, root string) error {
	root, err := filepath.Abs(root)
	if err != nil {
		return err
	}
	g, err := j.promise()
	if err != nil {
		return err
	}
	if err := j.flushWhole(); err != nil {
		return err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if err := Vacant(root); err != nil {
		return err
	}
	if err := os.Rename(j.Root, root); err != nil {
		if Exists(root) {
			return &ExistsError{root, true} // another was faster
		}
		return err
	}
	j.Root, j.prepared = root, false
	if err := durable.Parent(root); err != nil {
		return err
	}
	if g == nil {
		return nil
	}
	if err := j.putRight(g, j.outside); err != nil {
		return &RecoverError{root, err}
	}
	j.Recovered = Recovery{}
	return j.clearStaging()
}

// promise writes a journal of what is to be done to spec and record once the jar has
// its place; nil where that is nothing.
func (j *Jar) promise() (*journal, error) {
	g := &journal{forward: true}
	for _, kind := range []string{stepSpec, stepRecord} {
		text, file := j.texts[kind], j.outside.path(kind)
		if text == nil || file == "" {
			continue
		}
		was, err := stateOf(file)
		if err != nil {
			return nil, err
		}
		f := OwnFile{Data: text.Data, Gone: text.Gone}
		if was == f.state() {
			continue
		}
		if !f.Gone {
			if err := f.write(j.Path(newFolder, kind)); err != nil {
				return nil, err
			}
		}
		g.steps = append(g.steps, step{kind: kind, old: was, new: f.state()})
	}
	if len(g.steps) == 0 {
		return nil, nil
	}
	staged, err := g.write(j)
	if err != nil {
		return nil, err
	}
	return g, os.Rename(staged, j.Path(journalFile))
}

// flushWhole makes all that is in a new jar durable.
func (j *Jar) flushWhole() error {
	batch := j.staged
	batch.Folder(j.Root)
	if batch.Whole() {
		return j.flushBatch(&batch) // all at a stroke: there is nothing to be listed
	}
	batch = durable.Batch{}
	err := filepath.WalkDir(j.Root, func(file string, e os.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case e.IsDir():
			batch.Folder(file)
		case e.Type().IsRegular():
			if info, err := e.Info(); err == nil && linkCount(info) > 1 && info.Mode().Perm()&0o222 == 0 {
				batch.Count(1) // the store's, which made it durable
			} else {
				batch.File(file)
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	return j.flushBatch(&batch)
}

func (j *Jar) flushBatch(batch *durable.Batch) error {
	if j.flush != nil {
		return j.flush(batch)
	}
	disk, err := durable.Open(j.Root)
	if err != nil {
		return err
	}
	defer disk.Close()
	return batch.Flush(disk)
}
