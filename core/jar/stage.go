package jar

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"strings"

	"glassjar/core/guard"
	"glassjar/core/metadata"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// batch is how many files a worker puts in place at a time: those of a folder
// stand together, so that workers rarely wait for the same folder.
const batch = 128

// stage unpacks all wheels, or puts in place what the store has of them, while
// further ones are still on their way.
func (a *application) stage(ctx context.Context) error {
	group, inner := guard.WithContext(ctx)
	a.work = make(chan []folderful, 256)
	for range max(2, runtime.NumCPU()) {
		group.Go(func() error { return a.placeAll(inner) })
	}
	err := a.stageAll(inner)
	if err == nil {
		a.hand(0)
	}
	close(a.work)
	// Where a worker failed, that is the reason; staging only saw that it was to
	// end.
	if failed := group.Wait(); failed != nil && (err == nil || inner.Err() != nil && ctx.Err() == nil && errors.Is(err, context.Canceled)) {
		err = failed
	}
	return err
}

func (a *application) stageAll(ctx context.Context) error {
	for _, add := range a.change.Add {
		if err := a.stageOne(ctx, add); err != nil {
			return err
		}
	}
	for a.change.More != nil {
		add, err := a.change.More(ctx)
		if err != nil || add == nil {
			return err
		}
		if err := a.stageOne(ctx, *add); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// placeAll is one worker: making a name is work that the system does in parallel.
func (a *application) placeAll(ctx context.Context) error {
	for batch := range a.work {
		for _, f := range batch {
			err := ctx.Err()
			if err == nil {
				err = makeFolder(f.dir)
			}
			if err == nil {
				err = a.change.Placer.PlaceIn(f.dir, f.files)
			}
			if err != nil {
				return a.drain(err)
			}
			a.count(len(f.files))
		}
	}
	return nil
}

func (a *application) drain(err error) error {
	go func() {
		for range a.work {
		}
	}()
	return err
}

// folderful are files of the store that go into one folder of the jar.
type folderful struct {
	dir   string
	files []store.Pair
}

// place plans that a file of the store is put where another belongs.
func (a *application) place(name string, from store.Pair, file string) error {
	if err := a.plan(name, file); err != nil {
		return err
	}
	dir := path.Dir(file)
	a.batch.Count(1)
	if from.Optional {
		a.optional[file] = true
	}
	if n := len(a.waiting); n == 0 || a.last != dir {
		a.hand(batch)
		a.batch.Folder(a.staged(dir))
		a.waiting = append(a.waiting, folderful{dir: a.staged(dir)})
		a.last = dir
	}
	f := &a.waiting[len(a.waiting)-1]
	from.Name = path.Base(file)
	f.files = append(f.files, from)
	a.waits++
	return nil
}

// hand gives what waits to the workers, if it is more than some.
func (a *application) hand(more int) {
	if a.waits > more {
		a.work <- a.waiting
		a.waiting, a.waits = nil, 0
	}
}

func (a *application) stageOne(ctx context.Context, add Addition) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	w, l := add.Wheel, a.jar.Layout()
	one := &distribution{a: a, add: add, layout: l, site: l.PlatformSite(), folders: map[string]string{}}
	one.sites = []string{one.site + "/"}
	if other := l.Site(); other != one.site {
		one.sites = append(one.sites, other+"/")
		if w.Format.Purelib {
			one.site = other
		}
	}
	one.info = path.Join(one.site, w.Info)
	for i, e := range w.Entries {
		if err := one.entry(i, e); err != nil {
			return err
		}
	}
	if err := a.placeCompiled(add, one.sources); err != nil {
		return err
	}
	if err := one.entryPoints(); err != nil {
		return err
	}
	return one.describe()
}

// distribution is a wheel whose files are being staged.
type distribution struct {
	a      *application
	add    Addition
	layout Layout
	// site is the folder that RECORD is relative to, info the .dist-info folder.
	site, info string
	// sites are the beginnings of the paths of what stands in a site folder.
	sites   []string
	folders map[string]string // by scheme
	record  []metadata.RecordEntry
	sources []source // that were compiled
}

// folder is the beginning of the paths of a scheme.
func (d *distribution) folder(scheme string) string {
	if _, ok := d.folders[scheme]; !ok {
		if d.folders[scheme] = d.layout.Folder(scheme, d.add.Wheel.Name.Name) + "/"; d.folders[scheme] == "./" {
			d.folders[scheme] = "" // paths in a jar are clean: they are compared as text
		}
	}
	return d.folders[scheme]
}

// put stages a file, and notes it in RECORD.
func (d *distribution) put(file string, mode os.FileMode, fill func(io.Writer) (string, int64, error)) error {
	hash, size, err := d.a.put(d.add.Wheel.Metadata.Name, file, mode, fill)
	if err == nil {
		d.note(file, hash, size)
	}
	return err
}

func (d *distribution) note(file, hash string, size int64) {
	d.record = append(d.record, metadata.RecordEntry{Path: FromSite(d.site, file), Hash: hash, Size: size})
}

func (d *distribution) putBytes(file string, mode os.FileMode, data []byte) error {
	return d.put(file, mode, func(to io.Writer) (string, int64, error) {
		_, err := to.Write(data)
		return metadata.RecordHash(sha256.Sum256(data)), int64(len(data)), err
	})
}

// putScript stages a script, and what starts it where the system needs that.
func (d *distribution) putScript(file string, data []byte, windowed bool) error {
	if why := d.layout.scriptFault(file); why != "" {
		return &wheel.Refusal{File: d.add.Wheel.File, Path: path.Base(file), Why: why}
	}
	if err := d.putBytes(file, 0o755, data); err != nil {
		return err
	}
	return d.a.stageLauncher(d.add.Wheel.Metadata.Name, file, windowed)
}

// entry stages the member of a wheel that has a number.
func (d *distribution) entry(i int, e wheel.Entry) error {
	w := d.add.Wheel
	file := d.folder(e.Scheme) + e.Path
	if skipped(d.info, file) {
		return nil
	}
	if other := d.foreignInfo(file); other != "" {
		return &wheel.Refusal{File: w.File, Path: e.Path, Why: "it would write into " + other + ", which describes another distribution"}
	}
	mode := os.FileMode(0o644)
	if e.Executable || e.Scheme == wheel.Scripts {
		mode = 0o755
	}
	if e.Scheme == wheel.Scripts {
		data, windowed, err := scriptBytes(w, e)
		if err != nil {
			return err
		}
		if data != nil {
			return d.putScript(d.layout.scriptFile(e.Path), data, windowed)
		}
	}
	if d.add.Stored == nil {
		return d.put(file, mode, func(to io.Writer) (string, int64, error) { return e.Hash, e.Size, w.Copy(to, e) })
	}
	if err := d.a.place(w.Metadata.Name, store.Pair{From: d.add.Stored(i)}, file); err != nil {
		return err
	}
	d.note(file, e.Hash, e.Size)
	if d.add.Compiled != nil && strings.HasSuffix(file, ".py") {
		d.sources = append(d.sources, source{i, file})
	}
	return nil
}

// entryPoints stages the scripts that entry points make.
func (d *distribution) entryPoints() error {
	w := d.add.Wheel
	for _, e := range w.EntryPoints {
		if ok, err := e.Script(); err != nil || !ok {
			continue // a bad one was told when the wheel was opened
		}
		file := d.layout.scriptFile(e.Name)
		if d.a.owner[d.a.fold(file)] == w.Metadata.Name {
			continue // the wheel has the script itself as well
		}
		if err := d.putScript(file, entryScript(e), e.Group == metadata.GUIScripts); err != nil {
			return err
		}
	}
	return nil
}

// describe stages what an installer writes into .dist-info, RECORD last.
func (d *distribution) describe() error {
	extra := map[string][]byte{"INSTALLER": []byte("glassjar\n")}
	if d.add.Requested {
		extra["REQUESTED"] = nil
	}
	if d.add.Direct != nil {
		extra["direct_url.json"] = d.add.Direct.Format()
	}
	for name, data := range extra {
		if err := d.putBytes(path.Join(d.info, name), 0o644, data); err != nil {
			return err
		}
	}
	file := path.Join(d.info, "RECORD")
	return d.putBytes(file, 0o644, metadata.FormatRecord(append(d.record, metadata.RecordEntry{Path: FromSite(d.site, file), Size: -1})))
}

// skipped are members of a wheel's .dist-info that an installer writes itself.
func skipped(info, file string) bool {
	if !strings.HasPrefix(file, info) {
		return false
	}
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
// copied as it is; windowed is one that asks for no console.
func scriptBytes(w *wheel.Wheel, e wheel.Entry) (script []byte, windowed bool, err error) {
	if e.Size > maxScript {
		return nil, false, nil
	}
	var b bytes.Buffer
	if err := w.Copy(&b, e); err != nil {
		return nil, false, err
	}
	if changed := rewriteScript(b.Bytes()); len(changed) != b.Len() {
		return changed, bytes.HasPrefix(b.Bytes(), []byte("#!pythonw")), nil
	}
	return nil, false, nil
}

// put writes one staged file and plans its move.
func (a *application) put(name, file string, mode os.FileMode, fill func(io.Writer) (string, int64, error)) (string, int64, error) {
	if err := a.plan(name, file); err != nil {
		return "", 0, err
	}
	staged := a.staged(file)
	if dir := filepath.Dir(staged); !a.folders[dir] {
		if err := makeFolder(dir); err != nil {
			return "", 0, err
		}
		a.folders[dir] = true
	}
	out, err := os.OpenFile(staged, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode|0o022)
	if err != nil {
		return "", 0, err
	}
	h := sha256.New()
	hash, size, err := fill(io.MultiWriter(out, h))
	if err2 := out.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = setMode(staged, mode|groupMay)
	}
	if err == nil {
		// The time tells later that the file is as it was put here.
		stamp := store.Stamp(hex.EncodeToString(h.Sum(nil)))
		err = os.Chtimes(staged, stamp, stamp)
	}
	if err != nil {
		return "", 0, err
	}
	a.batch.File(staged)
	a.batch.Folder(filepath.Dir(staged))
	a.count(1)
	return hash, size, nil
}

func (a *application) count(n int) {
	if a.change.Progress != nil {
		a.change.Progress(n)
	}
}

// staged is where a file stands until it is moved to its place: at its place
// where nobody can see the jar yet.
func (a *application) staged(file string) string {
	if a.root == "" {
		if a.root = a.jar.Path(newFolder); a.jar.prepared {
			a.root = a.jar.Root
		}
	}
	return a.root + string(filepath.Separator) + filepath.FromSlash(file)
}

// foreignInfo is the folder of a description in a site folder that is not a wheel's own,
// if a file stands in one: whoever writes there makes up a distribution.
func (d *distribution) foreignInfo(file string) string {
	for _, site := range d.sites {
		rest, ok := strings.CutPrefix(file, site)
		if !ok {
			continue
		}
		top, _, deeper := strings.Cut(rest, "/")
		low := strings.ToLower(top)
		if !strings.HasSuffix(low, ".dist-info") && !strings.HasSuffix(low, ".egg-info") || deeper && site+top == d.info {
			continue
		}
		return top
	}
	return ""
}

// plan makes sure that a file can be put where it belongs, and plans its move.
func (a *application) plan(name, file string) error {
	if other, ok := a.owner[a.fold(file)]; ok {
		return &ClashError{Path: file, New: name, Old: other}
	}
	if a.protected(file) {
		return &ClashError{Path: file, New: name, Own: true}
	}
	a.owner[a.fold(file)] = name
	a.came = append(a.came, file)
	return nil
}

// fold is the path as the system compares it.
func (a *application) fold(file string) string {
	if os := a.jar.State.OS; os == "windows" || os == "macos" {
		return strings.ToLower(file)
	}
	return file
}
