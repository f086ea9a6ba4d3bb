package jar

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/durable"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// Addition is one wheel to install.
type Addition struct {
	Wheel *wheel.Wheel
	// Requested marks it as asked for.
	Requested bool
	// Direct says where it came from if no index gave it.
	Direct *metadata.DirectURL
	// Stored, if set, is where an entry of the wheel, by its number, stands
	// already, unpacked and verified, to be put in place from there.
	Stored func(entry int) string
	// Compiled, if set, is where the bytecode of an entry is, if it is there, to be
	// put beside it; empty for none.
	Compiled func(entry int) string
}

// Change is what is to happen to a jar, as a whole or not at all.
type Change struct {
	Remove []Installed
	Add    []Addition
	// More, if set, gives further wheels as they become ready, until it gives
	// none: they are staged while others still come.
	More func(context.Context) (*Addition, error)
	// Drop are further files of the jar to remove.
	Drop []string
	// Own are files that belong to the jar itself, by their paths in it.
	Own map[string]OwnFile
	// Spec and Record are the texts of these files, nil where they stay as they
	// are, and Outside tells where they are.
	Spec, Record *Text
	Outside      Outside
	// Final, if set, adds to Own what is known once all wheels have come.
	Final func(own map[string]OwnFile) error
	// Flush, if set, makes a batch durable, and with it what else the change counts
	// on, such as what came into the store for it.
	Flush func(*durable.Batch) error
	// Requested corrects the mark of distributions that stay.
	Requested map[string]bool
	// CacheTag is the interpreter's, part of the names of bytecode (PEP 3147); empty
	// for Python 2.
	CacheTag string
	// Placer puts the store's files into the jar; nil for the cheapest way.
	Placer *store.Placer
	// Progress is told how many files more are in place, if set, by several at once.
	Progress func(more int)
}

// Text is what a file outside of the jar is to hold.
type Text struct {
	Data []byte
	// Gone tells that the file is to be removed.
	Gone bool
}

// OwnFile is a file that belongs to the jar itself and to no distribution.
type OwnFile struct {
	Data []byte
	// Link makes it a symbolic link, Program a program; Gone removes it.
	Link    string
	Program bool
	Gone    bool
}

func (f OwnFile) state() string {
	switch {
	case f.Gone:
		return absent
	case f.Link != "":
		return "l" + sumOf([]byte(f.Link))
	}
	return "f" + sumOf(f.Data)
}

// writeOwn makes the files of a jar that nobody can see yet, by their paths in it, or removes them.
func (j *Jar) writeOwn(files map[string]OwnFile) error {
	for name, f := range files {
		if err := f.write(j.Path(name)); err != nil {
			return err
		}
	}
	return nil
}

// write makes the file, and its folder where that is not there, or removes it. What stands at its path
// goes: a clone has what the other jar had there, and of a link nobody is to write to what it leads to.
func (f OwnFile) write(file string) error {
	if f.Gone {
		if err := os.Remove(file); err != nil && !os.IsNotExist(err) {
			return err
		}
		return nil
	}
	err := f.create(file)
	if os.IsNotExist(err) {
		if err = makeFolder(filepath.Dir(file)); err == nil {
			err = f.create(file)
		}
	}
	if os.IsExist(err) {
		if err = os.Remove(file); err == nil {
			err = f.create(file)
		}
	}
	return err
}

// create makes the file in a folder that is there, where nothing is.
func (f OwnFile) create(file string) error {
	if f.Link != "" {
		return link(f.Link, file)
	}
	mode := os.FileMode(0o644)
	if f.Program {
		mode = 0o755
	}
	out, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode|0o022)
	if err != nil {
		return err
	}
	_, err = out.Write(f.Data)
	if err = errors.Join(err, out.Close()); err != nil {
		return err
	}
	return setMode(file, mode|groupMay)
}

// ClashError says that a distribution has a file that is there already.
type ClashError struct {
	Path string
	// New is the distribution to be installed, Old the one that has the file;
	// Old is empty for a file that belongs to none.
	New, Old string
	// Own tells that the file is one of the jar's own.
	Own bool
}

func (e *ClashError) Error() string {
	switch {
	case e.Own:
		return fmt.Sprintf("%s would overwrite %s, which is the jar's own", e.New, e.Path)
	case e.Old == "":
		return fmt.Sprintf("%s would overwrite %s, which belongs to no distribution", e.New, e.Path)
	}
	return fmt.Sprintf("%s and %s both have the file %s", e.Old, e.New, e.Path)
}

const (
	stagingFolder = ownFolder + "/staging"
	newFolder     = stagingFolder + "/new"
	oldFolder     = stagingFolder + "/old"
)

// Apply makes a change of a jar whose lock this process has, or which nobody can see
// yet. Everything is unpacked and verified in a staging folder first; on any error,
// and when the context ends before the first file is moved, the jar is as it was.
// When it returns without an error the change is durable.
func (j *Jar) Apply(ctx context.Context, c Change) error {
	if !j.held && !j.prepared {
		return fmt.Errorf("%s is not held", j.Root)
	}
	if err := j.clearStaging(); err != nil {
		return err
	}
	disk, err := durable.Open(j.Root)
	if err != nil {
		return err
	}
	defer disk.Close()
	if c.Placer == nil {
		c.Placer = &store.Placer{}
	}
	defer c.Placer.Close()
	if c.Own == nil {
		c.Own = map[string]OwnFile{}
	}
	if c.Flush == nil {
		c.Flush = func(b *durable.Batch) error { return b.Flush(disk) }
	}
	a := &application{jar: j, change: c, disk: disk, own: j.ownFiles(), owner: map[string]string{}, going: map[string]bool{}, lost: map[string]bool{}, folders: map[string]bool{}, optional: map[string]bool{}}
	defer a.dropPending()
	for _, step := range []func(context.Context) error{a.leave, a.stage, a.mark} {
		if err := step(ctx); err != nil {
			return errors.Join(err, a.clear())
		}
	}
	if c.Final != nil {
		if err := c.Final(c.Own); err != nil {
			return errors.Join(err, a.clear())
		}
	}
	if j.prepared {
		return a.fillUnseen()
	}
	return a.commit(ctx)
}

// clear removes what was staged, unless a journal still counts on it.
func (a *application) clear() error {
	if _, err := os.Lstat(a.jar.Path(journalFile)); err == nil {
		return nil
	}
	return a.jar.clearStaging()
}

type application struct {
	jar    *Jar
	change Change
	disk   *durable.Disk
	owner  map[string]string // path in the jar -> the distribution to be installed
	going  map[string]bool   // paths that leave their place
	lost   map[string]bool   // distributions, by key, that leave and of which nobody knows which files they have
	own    map[string]bool   // paths that belong to the jar itself
	came   []string          // paths that were staged, in their order
	steps  []step
	// optional are staged paths that may not be there.
	optional map[string]bool
	// batch is what is to be flushed before the first step.
	batch durable.Batch
	// pending are spec and record, filled beside their places.
	pending map[string]*atomicfile.Pending
	// root is where staged files stand, and folders those that are there; waiting
	// are files for the workers of stage, in number waits, the last in folder last.
	root    string
	folders map[string]bool
	waiting []folderful
	waits   int
	last    string
	work    chan []folderful
}

// leave plans the removal of distributions and files.
func (a *application) leave(context.Context) error {
	var paths []string
	for _, d := range a.change.Remove {
		files, err := a.jar.Files(d)
		if err != nil { // missing, damaged, or not to be read: its folder goes all the same
			a.lost[d.Key()] = true
		}
		for _, f := range files {
			paths = append(paths, f.Path)
		}
		// What stands in the .dist-info folder is the distribution's, listed or not.
		entries, _ := os.ReadDir(a.jar.Path(d.Info))
		for _, e := range entries {
			paths = append(paths, path.Join(d.Info, e.Name()))
		}
	}
	for _, p := range paths {
		if exe := a.jar.Layout().launcherOf(p); exe != "" {
			paths = append(paths, exe)
		}
	}
	others, err := a.others()
	if err != nil {
		return err
	}
	drops := a.change.Drop // nobody has these, whatever a RECORD says
	paths = slices.Concat(drops, paths, a.jar.bytecodeOf(slices.Concat(drops, paths)))
	folders := a.jar.realFolders()
	for i, p := range paths {
		if a.going[p] || a.protected(p) || i >= len(drops) && others(p) || !folders.real(path.Dir(p)) {
			continue
		}
		if info, err := os.Lstat(a.jar.Path(p)); err != nil || info.IsDir() {
			continue
		}
		a.take(p)
	}
	return nil
}

// others tells of paths that belong to distributions which stay: a RECORD may name
// whatever it likes, and takes nothing of theirs away.
func (a *application) others() (func(p string) bool, error) {
	if len(a.change.Remove) == 0 {
		return func(string) bool { return false }, nil
	}
	goes := map[string]bool{}
	for _, d := range a.change.Remove {
		goes[d.Info] = true
	}
	installed, err := a.jar.Installed()
	if err != nil {
		return nil, err
	}
	stay, infos := map[string]bool{}, map[string]bool{}
	for _, d := range installed {
		if goes[d.Info] {
			continue
		}
		infos[d.Info] = true
		files, _ := a.jar.Files(d) // one that is damaged has its folder at least
		for _, f := range files {
			stay[f.Path] = true
		}
	}
	return func(p string) bool { return stay[p] || infos[path.Dir(p)] }, nil
}

func (a *application) take(p string) {
	a.going[p] = true
	a.steps = append(a.steps, step{kind: stepTake, path: p})
}

// protected are paths of the jar itself, which no distribution may write or remove,
// whatever its RECORD says.
func (a *application) protected(p string) bool {
	folded := a.fold(p)
	return a.own[p] || folded != p && a.ownFolded(folded) || strings.HasPrefix(folded, ownFolder+"/")
}

// ownFolded is for systems on which names that differ in case are the same.
func (a *application) ownFolded(folded string) bool {
	for own := range a.own {
		if a.fold(own) == folded {
			return true
		}
	}
	return false
}

// mark corrects REQUESTED where a distribution stays.
func (a *application) mark(context.Context) error {
	if len(a.change.Requested) == 0 {
		return nil
	}
	installed, err := a.jar.Installed()
	if err != nil {
		return err
	}
	for _, d := range installed {
		want, ok := a.change.Requested[d.Key()]
		if !ok || want == d.Requested || a.going[path.Join(d.Info, "METADATA")] {
			continue
		}
		if err := a.markOne(d, want); err != nil {
			return err
		}
	}
	return nil
}

func (a *application) markOne(d Installed, want bool) error {
	data, err := limits.ReadFile(a.jar.Path(d.Info, "RECORD"), limits.Record)
	if err != nil {
		return err
	}
	lines, err := metadata.ParseRecord(data)
	if err != nil {
		return err
	}
	file := path.Join(d.Info, "REQUESTED")
	at := FromSite(d.site(), file)
	kept := lines[:0]
	for _, line := range lines {
		if line.Path != at {
			kept = append(kept, line)
		}
	}
	replace := func(file string, data []byte) error {
		if _, err := os.Lstat(a.jar.Path(file)); err == nil {
			a.take(file)
		}
		_, _, err := a.put(d.Metadata.Name, file, 0o644, func(to io.Writer) (string, int64, error) {
			_, err := to.Write(data)
			return metadata.RecordHash(sha256.Sum256(data)), int64(len(data)), err
		})
		return err
	}
	if want {
		kept = append(kept, metadata.RecordEntry{Path: at, Hash: metadata.RecordHash(sha256.Sum256(nil)), Size: 0})
		if err := replace(file, nil); err != nil {
			return err
		}
	} else {
		a.take(file)
	}
	return replace(path.Join(d.Info, "RECORD"), metadata.FormatRecord(kept))
}

// planPuts plans that what was staged gets its place: a folder that the jar does
// not have as a whole. A file that stands where a new one goes, and does not leave,
// is a clash. Removals come first.
func (a *application) planPuts() error {
	owners := a.otherOwners()
	there, whole := map[string]bool{".": true}, map[string]bool{}
	// missing is the highest folder above a file that the jar does not have, or has something else
	// in the place of.
	var missing func(dir string) (top string, other bool)
	missing = func(dir string) (string, bool) {
		if there[dir] {
			return "", false
		}
		if top, other := missing(path.Dir(dir)); top != "" {
			return top, other
		}
		switch info, err := os.Lstat(a.jar.Path(dir)); {
		case err == nil && info.IsDir():
			there[dir] = true
			return "", false
		default:
			return dir, err == nil && !a.going[dir]
		}
	}
	for _, file := range a.came {
		top, other := missing(path.Dir(file))
		if other { // such as a link, which leads to what is somebody else's
			return &ClashError{Path: top, New: a.owner[a.fold(file)]}
		}
		if top != "" {
			if !whole[a.fold(top)] {
				whole[a.fold(top)] = true
				a.steps = append(a.steps, step{kind: stepTree, path: top})
			}
			continue
		}
		if a.optional[file] {
			if _, err := os.Lstat(a.staged(file)); errors.Is(err, fs.ErrNotExist) {
				continue
			}
		}
		if info, err := os.Lstat(a.jar.Path(file)); err == nil && !a.going[file] {
			clash := &ClashError{Path: file, New: a.owner[a.fold(file)], Old: owners()[file]}
			if requirement.Normalize(clash.Old) == requirement.Normalize(clash.New) {
				clash.Old = "" // what stands there is no file of its
			}
			if clash.Old != "" || info.IsDir() || !a.lost[requirement.Normalize(clash.New)] {
				return clash
			}
			a.take(file) // it was the same distribution's, as far as anybody can tell
		}
		a.steps = append(a.steps, step{kind: stepPut, path: file})
	}
	return nil
}

// otherOwners tells, once it is asked, which distribution has which file.
func (a *application) otherOwners() func() map[string]string {
	var owners map[string]string
	return func() map[string]string {
		if owners != nil {
			return owners
		}
		owners = map[string]string{}
		installed, _ := a.jar.Installed() // only to name the owner in an error
		for _, d := range installed {
			files, _ := a.jar.Files(d)
			for _, f := range files {
				owners[f.Path] = d.Metadata.Name
			}
		}
		return owners
	}
}
