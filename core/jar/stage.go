package jar

import (
	"context"
	"crypto/sha256"
	"io"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"strings"

	"golang.org/x/sync/errgroup"

	"glassjar/core/metadata"
	"glassjar/core/wheel"
)

// stage unpacks all wheels and plans their files' moves.
func (a *application) stage(ctx context.Context) error {
	for _, add := range a.change.Add {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := a.stageOne(add); err != nil {
			return err
		}
	}
	return nil
}

func (a *application) stageOne(add Addition) error {
	w, l := add.Wheel, a.jar.Layout()
	site := l.PlatformSite()
	if w.Format.Purelib {
		site = l.Site()
	}
	info := path.Join(site, w.Info)
	var record []metadata.RecordEntry
	put := func(file string, mode os.FileMode, fill func(io.Writer) (string, int64, error)) error {
		hash, size, err := a.put(w.Metadata.Name, file, mode, fill)
		if err == nil {
			record = append(record, metadata.RecordEntry{Path: FromSite(site, file), Hash: hash, Size: size})
		}
		return err
	}
	putBytes := func(file string, mode os.FileMode, data []byte) error {
		return put(file, mode, func(to io.Writer) (string, int64, error) {
			_, err := to.Write(data)
			return metadata.RecordHash(sha256.Sum256(data)), int64(len(data)), err
		})
	}
	for _, e := range w.Entries {
		file := path.Join(l.Folder(e.Scheme, w.Name.Name), e.Path)
		if skipped(info, file) {
			continue
		}
		mode := os.FileMode(0o644)
		if e.Executable || e.Scheme == wheel.Scripts {
			mode = 0o755
		}
		if e.Scheme == wheel.Scripts {
			data, err := scriptBytes(w, e)
			if err != nil {
				return err
			}
			if data != nil {
				file = l.scriptFile(e.Path)
				if err := putBytes(file, mode, data); err != nil {
					return err
				}
				if err := a.stageLauncher(w.Metadata.Name, file); err != nil {
					return err
				}
				continue
			}
		}
		if from, ok := add.linked(e); ok {
			if err := a.plan(w.Metadata.Name, file); err != nil {
				return err
			}
			a.links = append(a.links, move{from, a.staged(file)})
			record = append(record, metadata.RecordEntry{Path: FromSite(site, file), Hash: e.Hash, Size: e.Size})
			continue
		}
		err := put(file, mode, func(to io.Writer) (string, int64, error) { return e.Hash, e.Size, w.Copy(to, e) })
		if err != nil {
			return err
		}
	}
	for _, e := range w.EntryPoints {
		if ok, err := e.Script(); err != nil || !ok {
			continue // a bad one was refused when the wheel was opened
		}
		file := l.scriptFile(e.Name)
		if a.owner[a.fold(file)] == w.Metadata.Name {
			continue // the wheel brings the script itself as well
		}
		if err := putBytes(file, 0o755, entryScript(e)); err != nil {
			return err
		}
		if err := a.stageLauncher(w.Metadata.Name, file); err != nil {
			return err
		}
	}
	extra := map[string][]byte{"INSTALLER": []byte("glassjar\n")}
	if add.Requested {
		extra["REQUESTED"] = nil
	}
	if add.Direct != nil {
		extra["direct_url.json"] = add.Direct.Format()
	}
	for name, data := range extra {
		if err := putBytes(path.Join(info, name), 0o644, data); err != nil {
			return err
		}
	}
	record = append(record, metadata.RecordEntry{Path: FromSite(site, path.Join(info, "RECORD")), Size: -1})
	data := metadata.FormatRecord(record)
	return putBytes(path.Join(info, "RECORD"), 0o644, data)
}

// skipped are members of a wheel's .dist-info that an installer writes itself.
func skipped(info, file string) bool {
	switch strings.TrimPrefix(file, info+"/") {
	case "INSTALLER", "REQUESTED", "direct_url.json":
		return true
	}
	return false
}

// maxScript bounds the scripts that are read to see whether they must be
// rewritten; a larger one is a program.
const maxScript = 1 << 20

// scriptBytes is a script as it is to be installed, or nil for one that is
// copied as it is.
func scriptBytes(w *wheel.Wheel, e wheel.Entry) ([]byte, error) {
	if e.Size > maxScript {
		return nil, nil
	}
	var b strings.Builder
	if err := w.Copy(&b, e); err != nil {
		return nil, err
	}
	data := []byte(b.String())
	if changed := rewriteScript(data); len(changed) != len(data) {
		return changed, nil
	}
	return nil, nil
}

// put writes one staged file and plans its move.
func (a *application) put(name, file string, mode os.FileMode, fill func(io.Writer) (string, int64, error)) (string, int64, error) {
	if err := a.plan(name, file); err != nil {
		return "", 0, err
	}
	staged := a.staged(file)
	out, err := os.OpenFile(staged, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if err != nil {
		return "", 0, err
	}
	hash, size, err := fill(out)
	if err2 := out.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = os.Chmod(staged, mode)
	}
	if err != nil {
		return "", 0, err
	}
	a.came(1)
	return hash, size, nil
}

func (a *application) came(n int) {
	if a.files += n; a.progress != nil {
		a.progress(a.files)
	}
}

// staged is where a file stands until it is moved to its place: at its place
// where nobody can see the jar yet.
func (a *application) staged(file string) string {
	if a.change.Unseen {
		return a.jar.Path(file)
	}
	return a.jar.Path(newFolder, file)
}

// plan makes sure that a file can be put where it belongs, and plans its move.
func (a *application) plan(name, file string) error {
	if other, ok := a.owner[a.fold(file)]; ok {
		return &ClashError{Path: file, New: name, Old: other}
	}
	if protected(file) {
		return &ClashError{Path: file, New: name}
	}
	a.owner[a.fold(file)] = name
	staged := a.staged(file)
	if dir := filepath.Dir(staged); !a.folders[dir] {
		if err := makeFolder(dir); err != nil {
			return err
		}
		a.folders[dir] = true
	}
	if !a.change.Unseen {
		a.moves = append(a.moves, move{staged, a.jar.Path(file)})
	}
	return nil
}

// linked is where a member stands in the store, if it does.
func (add Addition) linked(e wheel.Entry) (string, bool) {
	if add.Linked == nil {
		return "", false
	}
	return add.Linked(e)
}

// link links what was planned, by several at a time: making a name is work that
// the system does in parallel.
func (a *application) link(ctx context.Context) error {
	group, ctx := errgroup.WithContext(ctx)
	workers := max(2, runtime.NumCPU())
	for n := range workers {
		group.Go(func() error {
			for i := n; i < len(a.links); i += workers {
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := linkFile(a.links[i].From, a.links[i].To); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	a.came(len(a.links))
	return nil
}

// linkFile gives a file of the store a further name, or copies it where that
// cannot be: on another file system, or when it has as many names as it can have.
func linkFile(from, to string) error {
	if !onWindows && os.Link(from, to) == nil {
		return nil
	}
	return copyWithTime(from, to)
}

// fold is the path as the system compares it.
func (a *application) fold(file string) string {
	if os := a.jar.State.OS; os == "windows" || os == "macos" {
		return strings.ToLower(file)
	}
	return file
}
