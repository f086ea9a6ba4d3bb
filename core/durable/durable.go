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
	"runtime"
	"sort"

	"glassjar/core/guard"
)

// Few is how many files are flushed one by one; of more the whole file system is.
const Few = 200

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
	files, folders := b.files, b.sortedFolders()
	*b = Batch{}
	group := guard.New()
	group.SetLimit(2 * runtime.NumCPU())
	for _, f := range files {
		group.Go(func() error { return ignoreGone(File(f)) })
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for _, f := range folders {
		if err := ignoreGone(Folder(f)); err != nil {
			return err
		}
	}
	return nil
}

func (b *Batch) sortedFolders() []string {
	out := make([]string, 0, len(b.folders))
	for f := range b.folders {
		out = append(out, f)
	}
	// The deepest first: a folder is there once its parent names it.
	sort.Slice(out, func(i, k int) bool { return len(out[i]) > len(out[k]) })
	return out
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
