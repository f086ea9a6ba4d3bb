package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"glassjar/core/digest"
	"glassjar/core/guard"
)

// Amount is a number of files and their bytes.
type Amount struct {
	Files int
	Bytes int64
}

func (a *Amount) add(size int64) { a.Files, a.Bytes = a.Files+1, a.Bytes+size }

// Kinds of what the store holds, each a folder.
const (
	Contents = "files"
	Trees    = "trees"
	Bytecode = "bytecode"
	Packages = "packages"
)

// each visits the files of a kind; sum is the hash in their name, executable
// contents' mark left out.
func (s *Store) each(ctx context.Context, kind string, visit func(path, sum string, info fs.FileInfo) error) error {
	err := filepath.WalkDir(filepath.Join(s.Dir, kind), func(path string, e fs.DirEntry, err error) error {
		if err == nil {
			err = ctx.Err()
		}
		if err != nil || e.IsDir() {
			return err
		}
		sum, _, _ := strings.Cut(e.Name(), "-")
		info, err := e.Info()
		if err != nil || !ValidSum(sum) {
			return nil // gone meanwhile, or not ours
		}
		return visit(path, sum, info)
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Holds is how much of a kind the store has.
func (s *Store) Holds(ctx context.Context, kind string) (a Amount, err error) {
	err = s.each(ctx, kind, func(_, _ string, info fs.FileInfo) error {
		a.add(info.Size())
		return nil
	})
	return a, err
}

// Tidy forgets all trees but those that keep names, and removes the contents and
// the bytecode that none of these has, and the package files that keepPackage
// does not name. With plan nothing is removed. The caller has the store alone
// ([Store.Hold]), but for a plan.
func (s *Store) Tidy(ctx context.Context, keep func(sum string) bool, keepPackage func(sum string, came time.Time) bool, plan bool) (gone Amount, err error) {
	wanted, sources := map[string]bool{}, map[string]bool{}
	remove := func(path string, size int64) error {
		gone.add(size)
		if plan {
			return nil
		}
		if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("%s: %w", filepath.Base(path), err)
		}
		return nil
	}
	for _, sum := range s.Trees() {
		t, ok := s.Tree(sum)
		if ok && t.store == s && keep(sum) {
			for _, m := range t.Members {
				wanted[t.Path(m)] = true
				sources[m.SHA256] = true
			}
		} else if !plan {
			if err := os.Remove(s.treeFile(sum)); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return gone, err
			}
		}
	}
	for kind, kept := range map[string]func(path, sum string, came time.Time) bool{
		Contents: func(path, _ string, _ time.Time) bool { return wanted[path] },
		Bytecode: func(_, sum string, _ time.Time) bool { return sources[sum] },
		Packages: func(_, sum string, came time.Time) bool { return keepPackage(sum, came) },
	} {
		err := s.each(ctx, kind, func(path, sum string, info fs.FileInfo) error {
			if kept(path, sum, info.ModTime()) {
				return nil
			}
			return remove(path, info.Size())
		})
		if err != nil {
			return gone, err
		}
	}
	return gone, nil
}

// Verify compares every file with its name, several at a time, and tells done how
// many it has looked at. Those that are not what they should be are removed, and
// with them the trees that have them, so that they are unpacked anew; their hashes
// come back, but for what no tree names: nothing counts on that. Bytecode is not named for its own bytes: it is compared with its
// time, which changing it changes.
func (s *Store) Verify(ctx context.Context, done func(files int)) (all Amount, damaged []string, err error) {
	var mu sync.Mutex
	var looked atomic.Int64
	bad := map[string]string{} // the kind of a hash that is not right
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(digest.Abreast)
	for _, kind := range []string{Contents, Packages, Bytecode} {
		err := s.each(ctx, kind, func(path, sum string, info fs.FileInfo) error {
			all.add(info.Size())
			if kind == Contents && !whole(info) {
				return nil // it is being filled, or was left and is swept
			}
			group.Go(func() error {
				fine, err := kind == Bytecode && info.ModTime().Equal(Stamp(sum)), error(nil)
				if kind == Bytecode && !fine {
					err = os.Remove(path)
				} else if kind != Bytecode {
					fine, err = checkContent(ctx, path, sum)
				}
				done(int(looked.Add(1)))
				if err == nil && !fine {
					mu.Lock()
					bad[sum] = kind
					mu.Unlock()
				}
				return err
			})
			return nil
		})
		if err != nil {
			return all, nil, errors.Join(group.Wait(), err)
		}
	}
	if err := group.Wait(); err != nil {
		return all, nil, err
	}
	damaged = []string{}
	counted := s.countedOn()
	for sum, kind := range bad {
		if kind == Bytecode || counted[sum] {
			damaged = append(damaged, sum)
		}
	}
	slices.Sort(damaged)
	return all, damaged, s.dropTreesOf(func(sum string) bool { _, ok := bad[sum]; return ok })
}

// countedOn are the contents that trees name, and the package files that they are of.
func (s *Store) countedOn() map[string]bool {
	out := map[string]bool{}
	for _, sum := range s.Trees() {
		if t, ok := s.Tree(sum); ok && t.store == s {
			out[sum] = true
			for _, m := range t.Members {
				out[m.SHA256] = true
			}
		}
	}
	return out
}

// Forget forgets the trees that miss a content, so that they are unpacked anew, and
// gives how many these are.
func (s *Store) Forget() (int, error) {
	before := len(s.Trees())
	err := s.dropTreesOf(func(string) bool { return false })
	return before - len(s.Trees()), err
}

// dropTreesOf forgets the trees that have one of some contents, and those that
// miss one.
func (s *Store) dropTreesOf(bad func(sum string) bool) error {
	for _, sum := range s.Trees() {
		t, ok := s.Tree(sum)
		if !ok || t.store != s {
			continue
		}
		if !slices.ContainsFunc(t.Members, func(m Member) bool {
			if bad(m.SHA256) {
				return true
			}
			_, err := os.Lstat(t.Path(m))
			return err != nil
		}) {
			continue
		}
		if err := os.Remove(s.treeFile(sum)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}
