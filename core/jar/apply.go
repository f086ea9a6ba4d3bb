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
	"sort"
	"strings"

	"glassjar/core/metadata"
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
	// Write are files outside the jar, such as the record, by absolute path;
	// nil removes the file.
	Write map[string][]byte
	// Late, if set, adds to Write what is known once all wheels have come.
	Late func(write map[string][]byte) error
	// Requested corrects the mark of distributions that stay.
	Requested map[string]bool
	// Unseen tells that nobody can see the jar yet: files go to their places at
	// once, without being staged.
	Unseen bool
	// CacheTag is the interpreter's, part of the names of bytecode (PEP 3147); empty
	// for Python 2.
	CacheTag string
	// Placer puts the store's files into the jar; nil for the cheapest way.
	Placer *store.Placer
	// Progress is told how many files more are in place, if set, by several at once.
	Progress func(more int)
}

// ClashError says that two distributions have the same file.
type ClashError struct {
	Path string
	// New is the distribution to be installed, Old the one that has the file;
	// Old is empty for a file that belongs to none.
	New, Old string
}

func (e *ClashError) Error() string {
	if e.Old == "" {
		return fmt.Sprintf("%s would overwrite %s, which belongs to no distribution", e.New, e.Path)
	}
	return fmt.Sprintf("%s and %s both have the file %s", e.Old, e.New, e.Path)
}

const (
	stagingFolder = ownFolder + "/staging"
	newFolder     = stagingFolder + "/new"
	oldFolder     = stagingFolder + "/old"
)

// Apply makes a change. Everything is unpacked and verified in a staging
// folder first; on any error, and when the context ends before the first file
// is moved, the jar is as it was.
func (j *Jar) Apply(ctx context.Context, c Change) error {
	if !j.held {
		unlock, err := j.Lock(nil)
		if err != nil {
			return err
		}
		defer unlock()
	}
	if err := os.RemoveAll(j.Path(stagingFolder)); err != nil {
		return err
	}
	defer os.RemoveAll(j.Path(stagingFolder))
	if c.Placer == nil {
		c.Placer = &store.Placer{}
	}
	defer c.Placer.Close()
	a := &application{jar: j, change: c, owner: map[string]string{}, going: map[string]bool{}, folders: map[string]bool{}}
	for _, step := range []func(context.Context) error{a.leave, a.stage, a.mark, a.outside} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	if err := a.planMoves(); err != nil {
		return err
	}
	return j.move(a.moves)
}

type application struct {
	jar    *Jar
	change Change
	owner  map[string]string // path in the jar -> the distribution to be installed
	going  map[string]bool   // paths that leave their place
	came   []string          // paths that were staged, in their order
	moves  []move
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
		if err != nil && d.Damage == "" && !errors.Is(err, fs.ErrNotExist) {
			return err
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
	paths = append(paths, a.change.Drop...)
	paths = append(paths, a.jar.bytecodeOf(paths)...)
	for _, p := range paths {
		if a.going[p] || protected(p) {
			continue
		}
		if info, err := os.Lstat(a.jar.Path(p)); err != nil || info.IsDir() {
			continue
		}
		a.going[p] = true
		a.moves = append(a.moves, move{a.jar.Path(p), a.jar.Path(oldFolder, p)})
	}
	return nil
}

// protected are paths that no distribution may take away, whatever its RECORD
// says.
func protected(p string) bool {
	return p == "pyvenv.cfg" || p == ".gitignore" || strings.HasPrefix(p, ownFolder+"/")
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
	data, err := os.ReadFile(a.jar.Path(d.Info, "RECORD"))
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
			a.going[file] = true
			a.moves = append(a.moves, move{a.jar.Path(file), a.jar.Path(oldFolder, file)})
		}
		_, _, err := a.put(d.Metadata.Name, file, 0o644, func(to io.Writer) (string, int64, error) {
			_, err := to.Write(data)
			return "", 0, err
		})
		return err
	}
	if want {
		kept = append(kept, metadata.RecordEntry{Path: at, Hash: metadata.RecordHash(sha256.Sum256(nil)), Size: 0})
		if err := replace(file, nil); err != nil {
			return err
		}
	} else {
		a.going[file] = true
		a.moves = append(a.moves, move{a.jar.Path(file), a.jar.Path(oldFolder, file)})
	}
	return replace(path.Join(d.Info, "RECORD"), metadata.FormatRecord(kept))
}

// outside stages the files that stand outside the jar, in the staging folder
// as well: what a kill leaves there is removed with it.
func (a *application) outside(context.Context) error {
	if a.change.Late != nil {
		if err := a.change.Late(a.change.Write); err != nil {
			return err
		}
	}
	names := make([]string, 0, len(a.change.Write))
	for name := range a.change.Write {
		names = append(names, name)
	}
	sort.Strings(names)
	for i, name := range names {
		data := a.change.Write[name]
		mode := os.FileMode(0o644)
		staged := a.jar.Path(stagingFolder, "outside", fmt.Sprint(i))
		if err := makeFolder(filepath.Dir(staged)); err != nil {
			return err
		}
		if info, err := os.Stat(name); err == nil {
			mode = info.Mode().Perm()
			a.moves = append(a.moves, move{name, staged + ".old"})
		}
		if data == nil {
			continue
		}
		if err := writeFile(staged, data, mode); err != nil {
			return err
		}
		a.moves = append(a.moves, move{staged, name})
	}
	return nil
}

// planMoves moves what was staged to its place: a folder that the jar does not
// have as a whole. A file that stands where a new one goes, and does not leave,
// is a clash. Removals come first.
func (a *application) planMoves() error {
	if a.change.Unseen {
		return nil
	}
	owners := a.otherOwners()
	there, whole := map[string]bool{".": true}, map[string]bool{}
	// missing is the highest folder above a file that the jar does not have.
	var missing func(dir string) string
	missing = func(dir string) string {
		if there[dir] {
			return ""
		}
		if top := missing(path.Dir(dir)); top != "" {
			return top
		}
		if _, err := os.Lstat(a.jar.Path(dir)); err == nil {
			there[dir] = true
			return ""
		}
		return dir
	}
	for _, file := range a.came {
		if top := missing(path.Dir(file)); top != "" {
			if !whole[a.fold(top)] {
				whole[a.fold(top)] = true
				a.moves = append(a.moves, move{a.jar.Path(newFolder, top), a.jar.Path(top)})
			}
			continue
		}
		if _, err := os.Lstat(a.jar.Path(file)); err == nil && !a.going[file] {
			return &ClashError{Path: file, New: a.owner[a.fold(file)], Old: owners()[file]}
		}
		a.moves = append(a.moves, move{a.jar.Path(newFolder, file), a.jar.Path(file)})
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
