package building

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/source"
	"glassjar/core/version"
)

// NoFolderError says that a folder of source is not there.
type NoFolderError struct{ Folder string }

func (e *NoFolderError) Error() string { return "there is nothing at " + e.Folder }

// sourcePlace is where source stands on this machine.
type sourcePlace struct {
	source source.Source
	// sum is a hash of it.
	sum string
}

// newestSource is the newest source of a distribution.
func (b *Building) newestSource(ctx context.Context, name string) (index.File, error) {
	releases, _, err := b.catalog.Releases(ctx, name)
	for _, r := range releases {
		for _, f := range r.Files {
			if f.IsSource() {
				return f, nil
			}
		}
	}
	return index.File{Distribution: name}, err
}

// question is what is asked about source: what would run is read, not run.
func (b *Building) question(ctx context.Context, name string, f index.File) (Question, error) {
	q := Question{Name: name, From: f.Name}
	if !f.Version.IsZero() {
		q.Version = f.Version.String()
	}
	at, err := b.locate(ctx, f)
	if err != nil {
		return q, err
	}
	if f.Tree != nil {
		q.From = f.Tree.Repository
		if q.From == "" {
			q.From = project.Shorten(b.on.Dir, f.Tree.Folder)
		}
	}
	s, err := b.statement(at)
	if err != nil {
		return q, err
	}
	q.BackEnd, q.Requires, q.Own = s.BackEnd.Name, s.BackEnd.Requires, len(s.BackEnd.Path) > 0
	return q, nil
}

func folderOf(f index.File) string {
	if f.Tree == nil {
		return ""
	}
	return f.Tree.Folder
}

// locate brings source to this machine and hashes it.
func (b *Building) locate(ctx context.Context, f index.File) (sourcePlace, error) {
	t := f.Tree
	key := f.URL + f.SHA256() + f.Subdirectory
	if t != nil {
		key = fmt.Sprintf("%s %t %s %s %s", t.Folder, t.Editable, t.Repository, t.Commit, f.Subdirectory)
	}
	return b.places.Do(key, func() (sourcePlace, error) {
		at := sourcePlace{source: source.Source{Name: f.Distribution, Version: f.Version, Subdirectory: f.Subdirectory}}
		var err error
		switch {
		case t == nil:
			at.source.Archive, at.sum, err = b.catalog.Fetch(ctx, f, nil)
			if err == nil && filepath.Base(at.source.Archive) != f.Name {
				at.source.Archive, err = b.named(at.source.Archive, f.Name, at.sum)
			}
		case t.Repository != "":
			at.source.Called = t.Repository
			at.source.Folder, err = b.on.Checkouts.Folder(ctx, repositoryOfFile(f))
			at.sum = repositoryOfFile(f).Sum()
		default:
			if _, err := os.Stat(t.Folder); err != nil {
				return at, &NoFolderError{Folder: t.Folder}
			}
			at.source.Called = project.Shorten(b.on.Dir, t.Folder)
			at.source.Folder, at.source.Editable = t.Folder, t.Editable
			at.sum, err = source.FolderSum(ctx, t.Folder, source.Of{Subdirectory: f.Subdirectory, Editable: t.Editable, Own: t.Own})
		}
		return at, err
	})
}

// statement is what source says of itself, which is read once: an archive is unpacked for it.
func (b *Building) statement(at sourcePlace) (source.Statement, error) {
	return b.stated.Do(at.source.Archive+at.source.Folder+"\x00"+at.source.Subdirectory, func() (source.Statement, error) { return source.Read(at.source) })
}

// named gives a package file of the store the name by which its kind is told.
func (b *Building) named(path, name, sum string) (string, error) {
	dir := filepath.Join(b.builder.Work, "archives", sum[:16])
	to := filepath.Join(dir, filepath.Base(name))
	if _, err := os.Lstat(to); err == nil {
		return to, nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	err := os.Symlink(path, to)
	if err != nil && !errors.Is(err, os.ErrExist) {
		err = os.Link(path, to) // where symbolic links need a right
	}
	if errors.Is(err, os.ErrExist) {
		err = nil
	}
	return to, err
}

func repositoryOfFile(f index.File) source.Repository {
	return source.Repository{URL: f.Tree.Repository, Requested: f.Tree.Requested, Commit: f.Tree.Commit, Subdirectory: f.Subdirectory}
}

// Checkouts are folders with commits of repositories.
type Checkouts struct {
	source.Repositories
	// In is the folder that they are in; it may be tidied at any time.
	In string
	// Now is when one is used, which keeps it from being tidied early.
	Now func() time.Time
}

// Folder is a folder with the commit of a repository, or with that which its branch or tag stands
// for now.
func (c Checkouts) Folder(ctx context.Context, r source.Repository) (string, error) {
	r, err := c.Resolve(ctx, r)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256([]byte(r.URL + "\n" + r.Commit))
	dir := filepath.Join(c.In, hex.EncodeToString(sum[:16]))
	if _, err := os.Stat(filepath.Join(dir, ".git")); err == nil {
		now := c.Now()
		_ = os.Chtimes(dir, now, now) // else it may be tidied early
		return dir, nil
	}
	if err := os.MkdirAll(c.In, 0o755); err != nil {
		return "", err
	}
	temp, err := os.MkdirTemp(c.In, "new-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(temp)
	if err := c.CheckOut(ctx, r, filepath.Join(temp, "tree")); err != nil {
		return "", err
	}
	if err := os.Rename(filepath.Join(temp, "tree"), dir); err != nil {
		if _, there := os.Stat(filepath.Join(dir, ".git")); there != nil {
			return "", err
		}
	}
	return dir, nil
}

// withCommit is a repository's source with the commit that its branch or tag stands for now.
func (b *Building) withCommit(ctx context.Context, f index.File) (index.File, error) {
	if f.Tree == nil || f.Tree.Repository == "" {
		return f, nil
	}
	r, err := b.on.Checkouts.Resolve(ctx, repositoryOfFile(f))
	if err != nil {
		return f, err
	}
	tree := *f.Tree
	tree.Commit = r.Commit
	f.Tree = &tree
	return f, nil
}

// describe fills in what is known of source once it is here: its hash, the commit, and the
// version.
func (b *Building) describe(ctx context.Context, f index.File) (index.File, error) {
	if f.Tree == nil && !f.Version.IsZero() && f.SHA256() != "" {
		return f, nil
	}
	f, err := b.withCommit(ctx, f)
	if err != nil {
		return f, err
	}
	at, err := b.locate(ctx, f)
	if err != nil {
		return f, err
	}
	f.Hashes = f.Hashes.With(at.sum)
	if info, err := os.Stat(at.source.Archive); err == nil && f.Size < 0 {
		f.Size = info.Size()
	}
	if !f.Version.IsZero() {
		return f, nil
	}
	if s, err := b.statement(at); err == nil && s.Version != "" {
		f.Version, err = version.Parse(s.Version)
		return f, err
	}
	data, err := b.Metadata(ctx, f)
	if err != nil {
		return f, err
	}
	meta, err := metadata.Parse(data)
	f.Version = meta.Version
	return f, err
}
