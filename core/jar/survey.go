package jar

import (
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/metadata"
	"glassjar/core/store"
)

// Fault is one way in which a file is not as its distribution's RECORD says.
type Fault struct {
	// Path is relative to the jar.
	Path string `json:"path"`
	// Owner is the distribution's name.
	Owner string `json:"owner,omitempty"`
	// What is "missing", "changed" or "unknown".
	What string `json:"what"`
}

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
func (j *Jar) Survey(installed []Installed) (Survey, error) {
	var s Survey
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
	}
	for _, d := range installed {
		files, err := j.Files(d)
		if err != nil {
			s.Faults = append(s.Faults, Fault{path.Join(d.Info, "RECORD"), d.Key(), "missing"})
			continue
		}
		for _, f := range files {
			known[f.Path] = true
			known[l.launcherOf(f.Path)] = true
			s.Files++
			s.Bytes += max(f.Size, 0)
			if what := j.compare(f); what != "" {
				s.Faults = append(s.Faults, Fault{f.Path, d.Key(), what})
			}
		}
	}
	err := filepath.WalkDir(j.Root, func(file string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(j.Root, file)
		if err != nil {
			return err
		}
		rel = filepath.ToSlash(rel)
		switch {
		case e.IsDir():
			return nil
		case known[rel] || bytecodeOf(rel, known) || j.linkedByPython2(rel, e):
			return nil
		case strings.HasPrefix(rel, ownFolder+"/"):
			return nil
		}
		s.Unknown = append(s.Unknown, rel)
		return nil
	})
	sort.Slice(s.Faults, func(i, k int) bool { return s.Faults[i].Path < s.Faults[k].Path })
	sort.Strings(s.Unknown)
	return s, err
}

// linkedByPython2 tells the links to the standard library of a jar for a
// Python from before PEP 405.
func (j *Jar) linkedByPython2(rel string, e fs.DirEntry) bool {
	l := j.Layout()
	dir := path.Dir(rel)
	return l.Major == 2 && e.Type()&fs.ModeSymlink != 0 && (dir == path.Dir(l.Site()) || dir == "include")
}

// bytecodeOf reports whether a file is the bytecode of a known module.
func bytecodeOf(file string, known map[string]bool) bool {
	dir, name := path.Split(file)
	if stem, ok := strings.CutSuffix(name, ".pyc"); ok && known[dir+stem+".py"] {
		return true // where Python 2 keeps it
	}
	if !strings.HasSuffix(dir, "__pycache__/") || !strings.HasSuffix(name, ".pyc") {
		return false
	}
	stem, _, _ := strings.Cut(name, ".")
	return known[strings.TrimSuffix(dir, "__pycache__/")+stem+".py"]
}

// compare is "missing", "changed" or, where the file is as it should be,
// empty.
func (j *Jar) compare(f File) string {
	info, err := os.Lstat(j.Path(f.Path))
	switch {
	case err != nil:
		return "missing"
	case !info.Mode().IsRegular() || f.Size >= 0 && info.Size() != f.Size:
		return "changed"
	}
	want, ok := metadata.HexOfRecordHash(f.Hash)
	if !ok {
		return ""
	}
	have, err := store.Sum(j.Path(f.Path))
	switch {
	case os.IsNotExist(err):
		return "missing"
	case err != nil || have != want:
		return "changed"
	}
	return ""
}
