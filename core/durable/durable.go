// Package durable brings what was written to where a power cut does not take it
// away: single files and folders, or a whole file system at once.
//
// Which is cheaper depends on how much there is: a file system is flushed at a
// stroke, but with all that strangers have written to it; see docs/formats.md,
// "What a power cut leaves". Where the system cannot flush (a tmpfs, a folder on
// Windows), nothing is to be flushed, and that is no error.
package durable

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"glassjar/core/guard"
)

// Few is how many files are flushed one by one; of more the whole file system is.
const Few = 200

// atOnce is how many are flushed at a time. They wait for the disk, which answers many together.
const atOnce = 16

// openAtOnce is how many files are open at a time: a system may allow no more than some hundred.
const openAtOnce = 64

// Batch collects what is to be flushed together. The zero value is empty. It is
// not for several goroutines.
type Batch struct {
	files   []string
	folders map[string]bool
	more    int
}

// File adds a file that was written.
func (b *Batch) File(path string) { b.files = append(b.files, path) }

// Folder adds a folder in which names came, went or changed.
func (b *Batch) Folder(path string) {
	if b.folders == nil {
		b.folders = map[string]bool{}
	}
	b.folders[path] = true
}

// Count adds to the number of files that the batch stands for, without their having
// to be flushed themselves: links to what is durable already.
func (b *Batch) Count(n int) { b.more += n }

// Whole reports whether the batch is so large that all of the file system is flushed.
func (b *Batch) Whole() bool {
	return wholeAtOnce && len(b.files)+len(b.folders) > 0 && len(b.files)+len(b.folders)+b.more >= Few
}

// Join moves what another batch has into this one.
func (b *Batch) Join(other *Batch) {
	b.files, b.more = append(b.files, other.files...), b.more+other.more
	for f := range other.folders {
		b.Folder(f)
	}
	*other = Batch{}
}

// Flush makes the batch durable, all of it on the file system that is watched, and
// empties it. Names that are gone meanwhile are passed over.
func (b *Batch) Flush(disk *Disk) error {
	if b.Whole() {
		*b = Batch{}
		return disk.Flush()
	}
	files, folders := b.files, b.folders
	*b = Batch{}
	for len(files) > openAtOnce {
		if err := flush(files[:openAtOnce], nil); err != nil {
			return err
		}
		files = files[openAtOnce:]
	}
	return flush(files, folders)
}

// flush has the bytes of all files begin their way to the disk before it waits for any.
func flush(files []string, folders map[string]bool) error {
	open, err := openAll(files)
	group := guard.New()
	group.SetLimit(atOnce)
	for f := range folders { // in any order: the system may have written any of them before
		group.Go(func() error { return ignoreGone(Folder(f)) })
	}
	for _, f := range open {
		group.Go(func() error { return errors.Join(flushFile(f), f.Close()) })
	}
	return errors.Join(err, group.Wait())
}

// openAll opens files, and has their bytes begin their way. Those that were opened are returned with
// an error too.
func openAll(files []string) ([]*os.File, error) {
	open := make([]*os.File, 0, len(files))
	for _, path := range files {
		f, err := os.Open(path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return open, err
		}
		Begin(int(f.Fd()))
		open = append(open, f)
	}
	return open, nil
}

func ignoreGone(err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// File flushes the bytes of one file, which need not be writable.
func File(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	err = flushFile(f)
	return errors.Join(err, f.Close())
}

// Parent flushes the folder that a path is in.
func Parent(path string) error { return Folder(filepath.Dir(path)) }
