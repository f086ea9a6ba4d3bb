package jar

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"golang.org/x/sync/errgroup"

	"glassjar/core/interpreter"
	"glassjar/core/store"
)

// Clone makes an independent copy of the jar at root, whole or not at all: its
// packages' files as they are, all that is the jar's own written anew. Bytecode
// comes along, since its sources keep their times.
func (j *Jar) Clone(ctx context.Context, root string, in interpreter.Interpreter, opt Options) (*Jar, error) {
	return build(ctx, root, opt, func(copied *Jar) error {
		if err := j.copyInto(ctx, copied.Root, opt.Place); err != nil {
			return err
		}
		return copied.build(in, opt)
	})
}

// copyInto copies all that belongs to distributions, and what came by other
// means.
func (j *Jar) copyInto(ctx context.Context, root, way string) error {
	placer := &store.Placer{Way: way}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(2, runtime.NumCPU()))
	err := filepath.WalkDir(j.Root, func(file string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel := j.relative(file)
		to := filepath.Join(root, filepath.FromSlash(rel))
		switch {
		case file == j.Root || rel == "pyvenv.cfg" || rel == ".gitignore":
			return ctx.Err()
		case rel == ownFolder:
			return filepath.SkipDir
		case e.IsDir():
			return makeFolder(to)
		case e.Type()&fs.ModeSymlink != 0:
			target, err := os.Readlink(file)
			if err != nil || filepath.Dir(rel) == j.Layout().Scripts() && strings.HasPrefix(filepath.Base(rel), "py") {
				return err // the interpreter's links are made anew
			}
			return os.Symlink(target, to)
		case !e.Type().IsRegular():
			return nil
		}
		group.Go(func() error { return copyOrLink(placer, file, to) })
		return nil
	})
	// What failed first is the reason; the walk only saw that it was to end.
	if first := group.Wait(); first != nil {
		err = first
	}
	if err != nil {
		return err
	}
	origins, err := os.ReadFile(j.Path(ownFolder, "origins.json"))
	if os.IsNotExist(err) {
		return nil
	}
	if err != nil {
		return err
	}
	if err := makeFolder(filepath.Join(root, ownFolder)); err != nil {
		return err
	}
	return writeFile(filepath.Join(root, ownFolder, "origins.json"), origins, 0o644)
}

// copyOrLink links a file that is linked from the store and so never changed in
// place; others are copied.
func copyOrLink(p *store.Placer, from, to string) error {
	info, err := os.Lstat(from)
	if err == nil && info.Mode().Perm()&0o222 == 0 && linkCount(info) > 1 {
		return p.Place(from, to)
	}
	return p.Copy(from, to)
}
