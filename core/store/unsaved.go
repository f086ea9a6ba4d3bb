package store

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"glassjar/core/durable"
)

// A tree is what makes the store trust contents: it is written once all of its
// contents were flushed, so that after a power cut no tree names a content that is
// not whole. A content that no such tree was seen to name counts for nothing but its
// hash, which is computed before it is used.
//
// unsaved is what this process has added and not yet flushed.
type unsaved struct {
	mu    sync.Mutex
	batch durable.Batch
	trees map[string]*Tree
}

// note notes a content, and the folder that names it.
func (u *unsaved) note(path string) {
	u.mu.Lock()
	u.batch.File(path)
	u.batch.Folder(filepath.Dir(path))
	u.batch.Folder(filepath.Dir(filepath.Dir(path)))
	u.mu.Unlock()
}

func (u *unsaved) add(t *Tree) {
	u.mu.Lock()
	if u.trees == nil {
		u.trees = map[string]*Tree{}
	}
	u.trees[t.SHA256] = t
	u.mu.Unlock()
}

func (u *unsaved) tree(sum string) *Tree {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.trees[sum]
}

func (u *unsaved) forget(t *Tree) {
	u.mu.Lock()
	delete(u.trees, t.SHA256)
	u.mu.Unlock()
}

// Unsaved gives the trees of what was added, which stay to be found, and moves what makes them whole
// once it is flushed into a batch, for those who flush more with it. [Store.Save] is to follow. Contents
// that no tree names yet are flushed with the next.
func (s *Store) Unsaved(into *durable.Batch) []*Tree {
	s.unsaved.mu.Lock()
	trees := slices.Collect(maps.Values(s.unsaved.trees))
	if len(trees) > 0 {
		into.Join(&s.unsaved.batch)
	}
	s.unsaved.mu.Unlock()
	s.dropUnpacked(trees)
	return trees
}

// dropUnpacked removes the package files of trees, unless they are to be kept. It comes
// before flushing: to remove a file that was flushed takes as long as flushing it, where the disk is
// told what is free.
func (s *Store) dropUnpacked(trees []*Tree) {
	if s.KeepPackages {
		return
	}
	for _, t := range trees {
		s.Drop(t.SHA256)
	}
}

// Save writes down trees of [Store.Unsaved], whose batch was flushed.
func (s *Store) Save(trees []*Tree) error {
	for _, t := range trees {
		if err := s.writeTree(t); err != nil {
			return fmt.Errorf("%s: %w", t.Fact("file"), err)
		}
		s.unsaved.forget(t)
	}
	return nil
}

// SaveNow flushes what was added by itself, and writes it down. More may be added meanwhile; only
// one at a time saves.
func (s *Store) SaveNow() error {
	var batch durable.Batch
	trees := s.Unsaved(&batch)
	if len(trees) == 0 {
		return nil
	}
	disk, err := durable.Open(s.Dir)
	if err != nil {
		return err
	}
	defer disk.Close()
	if err := batch.Flush(disk); err != nil {
		return err
	}
	return s.Save(trees)
}

// writeTree puts the file of a tree into its place. It is not flushed: one that a
// power cut damages is seen to be damaged.
func (s *Store) writeTree(t *Tree) error {
	file := s.treeFile(t.SHA256)
	temp, done, err := begin(filepath.Join(s.Dir, "trees"))
	if err != nil {
		return err
	}
	defer done()
	if err := os.WriteFile(temp, t.text(), 0o666); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return err
	}
	return os.Rename(temp, file)
}
