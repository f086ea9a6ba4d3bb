package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
)

// Tree is the unpacked members of one package file. Each stands in the store by
// its content, once for all package files that have it, so that jars can be
// linked from there.
type Tree struct {
	Format int          `json:"format"`
	Files  []TreeMember `json:"files"`

	store *Store
	at    map[string]TreeMember
}

// TreeMember is one file of a tree.
type TreeMember struct {
	// Key names the member as its package file does.
	Key    string `json:"key"`
	SHA256 string `json:"sha256"`
	Size   int64  `json:"size"`
	// Executable is part of where the file stands, since a link has one mode.
	Executable bool `json:"executable,omitempty"`
}

// treeFormat is that of the files of trees; later ones are unpacked anew.
const treeFormat = 1

func (s *Store) treeFile(sum string) string {
	return filepath.Join(s.Dir, "trees", sum[:2], sum+".json")
}

// filePath is where a content stands.
func (s *Store) filePath(m TreeMember) string {
	name := m.SHA256
	if m.Executable {
		name += "-x"
	}
	return filepath.Join(s.Dir, "files", m.SHA256[:2], name)
}

// Path is where a member stands; false if the tree does not have it.
func (t *Tree) Path(key string) (string, bool) {
	m, ok := t.at[key]
	if !ok {
		return "", false
	}
	return t.store.filePath(m), true
}

// Tree is that of a package file, if it was unpacked before and is whole.
func (s *Store) Tree(sum string) (*Tree, bool) {
	if !ValidSum(sum) {
		return nil, false
	}
	data, err := os.ReadFile(s.treeFile(sum))
	if err != nil {
		return nil, false
	}
	t := &Tree{store: s, at: map[string]TreeMember{}}
	if json.Unmarshal(data, t) != nil || t.Format != treeFormat {
		return nil, false
	}
	for _, m := range t.Files {
		if !ValidSum(m.SHA256) {
			return nil, false
		}
		t.at[m.Key] = m
	}
	return t, true
}

// Use notes that a tree is about to be linked from, so that tidying by another
// process leaves it alone for a while.
func (t *Tree) Use(sum string) {
	now := time.Now()
	_ = os.Chtimes(t.store.treeFile(sum), now, now) // it is only a hint
}

// inUse is how long a tree that was linked from is left alone.
const inUse = time.Minute

func (s *Store) recent(sum string) bool {
	info, err := os.Stat(s.treeFile(sum))
	return err == nil && time.Since(info.ModTime()) < inUse
}

// Source is one member to be unpacked: Copy writes its content, and fails if that
// is not what the package file says.
type Source struct {
	Key        string
	Executable bool
	Copy       func(io.Writer) error
}

// Unpack brings the members of a package file into the store, several at a time,
// and writes the tree down once all are there. A content that is there already is
// not written again.
func (s *Store) Unpack(ctx context.Context, sum string, sources []Source) (*Tree, error) {
	t := &Tree{Format: treeFormat, Files: make([]TreeMember, len(sources)), store: s, at: map[string]TreeMember{}}
	dir, done, err := begin(filepath.Join(s.Dir, "files"))
	if err != nil {
		return nil, err
	}
	defer done()
	if err := os.Mkdir(dir, 0o755); err != nil {
		return nil, err
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(2, runtime.NumCPU()))
	for i, source := range sources {
		group.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			m, err := s.takeIn(dir, source)
			t.Files[i] = m
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	for _, m := range t.Files {
		t.at[m.Key] = m
	}
	data, err := json.Marshal(t)
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(dir, "tree"), data, 0o644); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(s.treeFile(sum)), 0o755); err != nil {
		return nil, err
	}
	return t, os.Rename(filepath.Join(dir, "tree"), s.treeFile(sum))
}

// takeIn writes one content beside its place and moves it there.
func (s *Store) takeIn(dir string, source Source) (TreeMember, error) {
	m := TreeMember{Key: source.Key, Executable: source.Executable}
	temp, err := os.CreateTemp(dir, coming)
	if err != nil {
		return m, err
	}
	defer os.Remove(temp.Name())
	h := sha256.New()
	counted := &counter{}
	err = source.Copy(io.MultiWriter(temp, h, counted))
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err != nil {
		return m, err
	}
	m.SHA256, m.Size = hex.EncodeToString(h.Sum(nil)), counted.n
	path := s.filePath(m)
	if info, err := os.Lstat(path); err == nil && info.Size() == m.Size {
		return m, nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return m, err
	}
	// Read-only: a jar's file is this very file, and is not to be changed in place
	// by accident.
	mode := os.FileMode(0o444)
	if m.Executable {
		mode = 0o555
	}
	if err := os.Chmod(temp.Name(), mode); err != nil {
		return m, err
	}
	return m, os.Rename(temp.Name(), path)
}

type counter struct{ n int64 }

func (c *counter) Write(p []byte) (int, error) {
	c.n += int64(len(p))
	return len(p), nil
}

// CheckTree compares every file of a tree with its hash. Files that are not what
// they should be are removed, and the tree with them, so that it is unpacked
// anew; their hashes come back.
func (s *Store) CheckTree(sum string) (damaged []string, err error) {
	t, ok := s.Tree(sum)
	if !ok {
		return nil, nil
	}
	for _, m := range t.Files {
		have, err := Sum(s.filePath(m))
		switch {
		case err == nil && have == m.SHA256:
			continue
		case err == nil:
			if err := os.Remove(s.filePath(m)); err != nil {
				return damaged, err
			}
		case !errors.Is(err, os.ErrNotExist):
			return damaged, err
		}
		damaged = append(damaged, m.SHA256)
	}
	if len(damaged) > 0 {
		err = os.Remove(s.treeFile(sum))
	}
	return damaged, err
}

// Trees lists the package files that are unpacked here.
func (s *Store) Trees() []string {
	files, _ := filepath.Glob(filepath.Join(s.Dir, "trees", "??", "*.json")) // a fixed pattern
	var out []string
	for _, f := range files {
		if sum := strings.TrimSuffix(filepath.Base(f), ".json"); ValidSum(sum) {
			out = append(out, sum)
		}
	}
	return out
}

// DropTrees forgets all trees but those that keep names, and removes the contents
// that none of these has. With plan nothing is removed. It gives how many
// contents go, and their bytes.
func (s *Store) DropTrees(keep func(sum string) bool, plan bool) (files int, bytes int64, err error) {
	wanted := map[string]bool{}
	for _, sum := range s.Trees() {
		t, ok := s.Tree(sum)
		if ok && (keep(sum) || s.recent(sum)) {
			for _, m := range t.Files {
				wanted[s.filePath(m)] = true
			}
		} else if !plan {
			if err := os.Remove(s.treeFile(sum)); err != nil && !errors.Is(err, os.ErrNotExist) {
				return files, bytes, err
			}
		}
	}
	held, _ := filepath.Glob(filepath.Join(s.Dir, "files", "??", "*")) // a fixed pattern
	for _, f := range held {
		info, err := os.Lstat(f)
		if err != nil || wanted[f] {
			continue
		}
		files++
		bytes += info.Size()
		if !plan {
			if err := os.Remove(f); err != nil && !errors.Is(err, os.ErrNotExist) {
				return files, bytes, fmt.Errorf("%s: %w", filepath.Base(f), err)
			}
		}
	}
	return files, bytes, nil
}
