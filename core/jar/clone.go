package jar

import (
	"context"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"strings"

	"glassjar/core/guard"
	"glassjar/core/interpreter"
	"glassjar/core/store"
)

// Clone makes an independent copy of the jar at root, whole or not at all: its
// packages' files as they are, all that is the jar's own written anew. Bytecode
// comes along, since its sources keep their times.
func (j *Jar) Clone(ctx context.Context, root string, in interpreter.Interpreter, opt Options) (*Jar, error) {
	return place(ctx, root, opt, func(temp string) (*Jar, error) {
		return prepare(temp, opt, func(copied *Jar) error {
			files, err := j.copyInto(ctx, copied.Root, opt.Place)
			if err != nil {
				return err
			}
			copied.staged.Count(files)
			return copied.build(in, opt)
		})
	})
}

// copyInto copies all that belongs to distributions, and what came by other
// means, and gives how many files that are.
func (j *Jar) copyInto(ctx context.Context, root, way string) (files int, err error) {
	placer := &store.Placer{Way: way}
	defer placer.Close()
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(max(2, runtime.NumCPU()))
	err = j.copyFolder(ctx, group, placer, ".", root, &files)
	// What failed first is the reason; the walk only saw that it was to end.
	if first := group.Wait(); first != nil {
		err = first
	}
	return files, err
}

// copyFolder lists a folder and those below it, and has their files copied.
func (j *Jar) copyFolder(ctx context.Context, group *guard.Group, placer *store.Placer, dir, root string, files *int) error {
	entries, err := os.ReadDir(j.Path(dir))
	if err != nil {
		return err
	}
	to := filepath.Join(root, filepath.FromSlash(dir))
	if err := makeFolder(to); err != nil {
		return err
	}
	*files += len(entries)
	group.Go(func() error { return j.copyFiles(ctx, placer, dir, to, entries) })
	for _, e := range entries {
		if !e.IsDir() || dir == "." && e.Name() == ownFolder {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := j.copyFolder(ctx, group, placer, path.Join(dir, e.Name()), root, files); err != nil {
			return err
		}
	}
	return nil
}

// copyFiles copies the files of one folder. One that is linked from the store, and
// so never changed in place, is linked.
func (j *Jar) copyFiles(ctx context.Context, placer *store.Placer, dir, to string, entries []fs.DirEntry) error {
	var linked []store.Pair
	for _, e := range entries {
		if err := ctx.Err(); err != nil {
			return err
		}
		rel, file := path.Join(dir, e.Name()), j.Path(dir, e.Name())
		switch {
		case e.IsDir() || rel == "pyvenv.cfg" || rel == ".gitignore":
			continue
		case e.Type()&fs.ModeSymlink != 0:
			target, err := os.Readlink(file)
			if err == nil && !(dir == j.Layout().Scripts() && strings.HasPrefix(e.Name(), "py")) { // the interpreter's links are made anew
				err = os.Symlink(target, filepath.Join(to, e.Name()))
			}
			if err != nil {
				return err
			}
			continue
		case !e.Type().IsRegular():
			continue
		}
		info, err := e.Info()
		if err != nil {
			return err
		}
		if info.Mode().Perm()&0o222 == 0 && linkCount(info) > 1 {
			linked = append(linked, store.Pair{From: file, Name: e.Name()})
		} else if err := placer.Copy(file, filepath.Join(to, e.Name())); err != nil {
			return err
		}
	}
	return placer.PlaceIn(to, linked)
}
