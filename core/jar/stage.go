package jar

import (
	"context"
	"crypto/sha256"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"

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
	if other, ok := a.owner[a.fold(file)]; ok {
		return "", 0, &ClashError{Path: file, New: name, Old: other}
	}
	if protected(file) {
		return "", 0, &ClashError{Path: file, New: name}
	}
	a.owner[a.fold(file)] = name
	staged := a.jar.Path(newFolder, file)
	if err := makeFolder(filepath.Dir(staged)); err != nil {
		return "", 0, err
	}
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
	a.moves = append(a.moves, move{staged, a.jar.Path(file)})
	if a.files++; a.progress != nil {
		a.progress(a.files)
	}
	return hash, size, nil
}

// fold is the path as the system compares it.
func (a *application) fold(file string) string {
	if os := a.jar.State.OS; os == "windows" || os == "macos" {
		return strings.ToLower(file)
	}
	return file
}
