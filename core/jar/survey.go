package jar

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path"
	"runtime"
	"sort"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"

	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/metadata"
	"glassjar/core/store"
)

// Fault is one way in which a file is not as its distribution's RECORD says.
type Fault struct {
	// Path is relative to the jar.
	Path string
	// Owner is the distribution's name.
	Owner string
	// What is one of the constants.
	What string
}

// What can be wrong with a file.
const (
	Missing = "missing"
	Changed = "changed"
	// Unreadable is one that is there, as far as can be told, and that the system does not give.
	Unreadable = "unreadable"
	// OtherBytecode is bytecode that is not what its module compiles to.
	OtherBytecode = "bytecode"
)

// Survey is the state of all files of a jar.
type Survey struct {
	// Faults are those of distributions, by path; Unknown are files that belong
	// to nothing.
	Faults  []Fault
	Unknown []string
	// Files and Bytes count what belongs to distributions.
	Files int
	Bytes int64
}

// Whole reports whether a distribution has no fault.
func (s Survey) Whole(key string) bool {
	for _, f := range s.Faults {
		if f.Owner == key {
			return false
		}
	}
	return true
}

// Survey compares every file with its hash and looks for files that nothing
// accounts for. Bytecode that an interpreter wrote beside a module is
// accounted for by the module.
func (j *Jar) Survey(installed []Installed) (Survey, error) { return j.survey(installed, false) }

// QuickSurvey is [Jar.Survey] that takes a file for what it was if it has the
// size that RECORD gives and the time that this program gave it, which is taken
// from its hash (see [store.Stamp]); only others are read.
func (j *Jar) QuickSurvey(installed []Installed) (Survey, error) { return j.survey(installed, true) }

// surveyor looks at all files of a jar, folders in parallel.
type surveyor struct {
	jar      *Jar
	quick    bool
	expected map[string]*expected
	known    map[string]bool
	// unlisted are the folders of descriptions of which nobody can tell what belongs there.
	unlisted map[string]bool

	mu sync.Mutex
	Survey
}

// expected is a file of a distribution.
type expected struct {
	File
	owner string
	seen  atomic.Bool
}

func (j *Jar) survey(installed []Installed, quick bool) (Survey, error) {
	s := &surveyor{jar: j, quick: quick, expected: map[string]*expected{}, known: j.ownFiles(), unlisted: map[string]bool{}}
	if err := s.expect(installed); err != nil {
		return s.Survey, err
	}
	group, atOnce := guard.New(), digest.Abreast
	if quick { // nothing is hashed
		atOnce = max(2, runtime.NumCPU())
	}
	group.SetLimit(atOnce)
	err := s.walk(group, ".")
	if err2 := group.Wait(); err == nil {
		err = err2
	}
	folders := j.realFolders()
	for _, e := range s.expected {
		switch {
		case e.seen.Load():
		case folders.real(path.Dir(e.Path)): // missing, or under another spelling
			s.fault(e, j.compare(e.File, quick))
		default:
			s.fault(e, Missing)
		}
	}
	sort.Slice(s.Faults, func(i, k int) bool { return s.Faults[i].Path < s.Faults[k].Path })
	sort.Strings(s.Unknown)
	return s.Survey, err
}

// ownFiles are those that belong to the jar and to no distribution.
func (j *Jar) ownFiles() map[string]bool {
	known := map[string]bool{stateFile: true, lockFile: true, "pyvenv.cfg": true, ".gitignore": true}
	l := j.Layout()
	for _, name := range l.PythonNames() {
		known[name] = true
	}
	for name := range activation(l) {
		known[path.Join(l.Scripts(), name)] = true
	}
	if l.Major == 2 {
		known[path.Join(path.Dir(l.Site()), "site.py")] = true
		known[path.Join(l.Site(), seeSystem2)] = j.State.SeeSystem
		if base, err := j.Base(); err == nil {
			for name := range besideProgram(base) {
				known[path.Join("lib", name)] = true
			}
		}
	}
	return known
}

// expect reads what the distributions' RECORDs say.
func (s *surveyor) expect(installed []Installed) error {
	lists, errs := make([][]File, len(installed)), make([]error, len(installed))
	_ = s.jar.eachRecord(installed, func(i int, files []File, err error) error {
		lists[i], errs[i] = files, err
		return nil // each is told below
	})
	l := s.jar.Layout()
	for i, d := range installed {
		if errs[i] != nil {
			s.Faults = append(s.Faults, Fault{path.Join(d.Info, "RECORD"), d.Key(), unread(errs[i])})
			s.unlisted[d.Info] = true
			continue
		}
		for _, f := range lists[i] {
			s.expected[f.Path] = &expected{File: f, owner: d.Key()}
			if exe := l.launcherOf(f.Path); exe != "" {
				s.known[exe] = true
			}
			s.Files++
			s.Bytes += max(f.Size, 0)
		}
	}
	return nil
}

func (s *surveyor) fault(e *expected, what string) {
	if what != "" {
		s.mu.Lock()
		s.Faults = append(s.Faults, Fault{e.Path, e.owner, what})
		s.mu.Unlock()
	}
}

// walk lists a folder and those below it, and has their files looked at.
func (s *surveyor) walk(group *guard.Group, dir string) error {
	entries, err := os.ReadDir(s.jar.Path(dir))
	if err != nil {
		return err
	}
	group.Go(func() error {
		s.look(dir, entries)
		return nil
	})
	for _, e := range entries {
		if !e.IsDir() || dir == "." && e.Name() == ownFolder {
			continue
		}
		if err := s.walk(group, path.Join(dir, e.Name())); err != nil {
			return err
		}
	}
	return nil
}

func (s *surveyor) look(dir string, entries []fs.DirEntry) {
	known := func(file string) bool { return s.known[file] || s.expected[file] != nil }
	for _, e := range entries {
		rel := path.Join(dir, e.Name())
		if e.IsDir() {
			continue
		}
		if want := s.expected[rel]; want != nil {
			want.seen.Store(true)
			s.fault(want, s.jar.compare(want.File, s.quick))
			continue
		}
		if s.known[rel] || s.unlisted[dir] || e.Type().IsRegular() && bytecodeOf(rel, known) || s.jar.linkedByPython2(rel, e) {
			continue
		}
		s.mu.Lock()
		s.Unknown = append(s.Unknown, rel)
		s.mu.Unlock()
	}
}

// linkedByPython2 tells the links to the standard library of a jar for a
// Python from before PEP 405.
func (j *Jar) linkedByPython2(rel string, e fs.DirEntry) bool {
	l := j.Layout()
	dir := path.Dir(rel)
	return l.Major == 2 && e.Type()&fs.ModeSymlink != 0 && (dir == path.Dir(l.Site()) || dir == "include")
}

// bytecodeOf reports whether a file is the bytecode of a known module.
func bytecodeOf(file string, known func(string) bool) bool {
	dir, name := path.Split(file)
	if stem, ok := strings.CutSuffix(name, ".pyc"); ok && known(dir+stem+".py") {
		return true // where Python 2 keeps it
	}
	if !strings.HasSuffix(dir, "__pycache__/") || !strings.HasSuffix(name, ".pyc") {
		return false
	}
	stem, _, _ := strings.Cut(name, ".")
	return known(strings.TrimSuffix(dir, "__pycache__/") + stem + ".py")
}

// Edited are the files of a distribution that somebody has changed since it was installed: what has
// another size, or another time and other contents. Its own description does not count, nor does what
// is missing.
func (j *Jar) Edited(d Installed) []string {
	var out []string
	folders := j.realFolders()
	for _, f := range j.filesOrNone(d) {
		if path.Dir(f.Path) != d.Info && folders.real(path.Dir(f.Path)) && j.compare(f, true) == Changed {
			out = append(out, f.Path)
		}
	}
	return out
}

// unread is what is wrong with a file that could not be read: one that is there and says what it
// must not is changed.
func unread(err error) string {
	var system syscall.Errno
	switch {
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, syscall.ENOTDIR):
		return Missing
	case errors.As(err, &system):
		return Unreadable
	}
	return Changed
}

// compare is what is wrong with a file, or empty. With quick its time may speak for it.
func (j *Jar) compare(f File, quick bool) string {
	file := j.Root + "/" + f.Path
	info, err := os.Lstat(file)
	switch {
	case err != nil:
		return unread(err)
	case !info.Mode().IsRegular() || f.Size >= 0 && info.Size() != f.Size:
		return Changed
	}
	want, ok := metadata.HexOfRecordHash(f.Hash)
	if !ok || quick && f.Size >= 0 && info.ModTime().Equal(store.Stamp(want)) {
		return ""
	}
	have, err := digest.OfFile(context.Background(), file)
	switch {
	case err != nil:
		return unread(err)
	case have != want:
		return Changed
	}
	return ""
}
