package interpreter

import (
	"context"
	"iter"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"glassjar/core/guard"
	"glassjar/core/internal/lazy"
)

// Found is an interpreter and where it was come upon.
type Found struct {
	Interpreter
	// Place is the path at which it was found; it may be a link or a stand-in.
	Place string
	// Source says how: "path", "folder" (one that the user named), "usual" or
	// "active" (the base of the active jar).
	Source string
}

// Finder looks for interpreters.
type Finder struct {
	// Path is the list of folders of the PATH variable.
	Path []string
	// Folders are those that the user named; each is searched for bin/python*
	// and */bin/python*.
	Folders []string
	// Active are the programs of the active jar's base, if any.
	Active []string
	// Cache keeps answers; nil asks every time.
	Cache *Cache
	// Timeout is how long a program may take to answer; 0 means ten seconds.
	Timeout time.Duration

	once sync.Once
	list []candidate
}

// NewFinder takes PATH and the variable GLASSJAR_PYTHONS from the environment.
func NewFinder(cache *Cache, folders ...string) *Finder {
	named := filepath.SplitList(os.Getenv("GLASSJAR_PYTHONS"))
	return &Finder{Path: filepath.SplitList(os.Getenv("PATH")), Folders: append(named, folders...), Cache: cache}
}

var programName = lazy.Pattern(`^(python|pypy)([23](\.\d+t?)?)?(\.exe)?$`)

// candidate is a program that may be an interpreter; real is where it is when links are followed.
type candidate struct{ path, real, source string }

// candidates lists programs in the order of preference, each real file once.
// The folders are looked through once.
func (f *Finder) candidates() []candidate {
	f.once.Do(func() { f.list = slices.Collect(f.search()) })
	return f.list
}

// Finds reports whether a program is among those that are looked at.
func (f *Finder) Finds(path string) bool {
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return false
	}
	for c := range f.search() {
		if c.real == real {
			return true
		}
	}
	return false
}

// search looks for candidates. A folder is read when those before it were not enough.
func (f *Finder) search() iter.Seq[candidate] {
	return func(yield func(candidate) bool) {
		folders, seen := map[string]bool{}, map[string]bool{}
		add := func(source string, paths iter.Seq[string]) bool {
			for p := range paths {
				real, err := filepath.EvalSymlinks(p)
				if err != nil {
					real = p // a broken link is reported when it is asked
				}
				if !seen[real] {
					seen[real] = true
					if !yield(candidate{p, real, source}) {
						return false
					}
				}
			}
			return true
		}
		in := func(source string, dirs []string) bool {
			for _, dir := range dirs {
				if real, err := filepath.EvalSymlinks(dir); err == nil && !folders[real] {
					folders[real] = true
					if !add(source, programs(dir)) {
						return false
					}
				}
			}
			return true
		}
		under := func(source string, dirs []string) bool {
			for _, dir := range dirs {
				if !in(source, below(dir)) {
					return false
				}
			}
			return true
		}
		path := absolute(f.Path)
		_ = add("active", slices.Values(f.Active)) &&
			in("path", path) &&
			under("folder", f.Folders) &&
			under("usual", beside(path)) &&
			add("usual", slices.Values(registered())) &&
			under("usual", absolute(usualPlaces())) // a variable that they are made of may be empty
	}
}

func absolute(dirs []string) (out []string) {
	for _, dir := range dirs {
		if filepath.IsAbs(dir) {
			out = append(out, dir)
		}
	}
	return out
}

// beside are the folders of versions beside those on PATH: managers of versions put stand-ins
// on PATH and keep there what these stand for.
func beside(path []string) (out []string) {
	for _, dir := range path {
		out = append(out, filepath.Join(filepath.Dir(dir), "versions"))
	}
	return out
}

// plain are the names that come first in a folder.
var plain = []string{"python3", "python"}

// programs are the Pythons of one folder: the plain names first, then the
// newest. For the plain ones the folder, which may hold thousands of programs, is not read.
func programs(dir string) iter.Seq[string] {
	return func(yield func(string) bool) {
		if runtime.GOOS != "windows" { // there names have endings
			for _, name := range plain {
				at := filepath.Join(dir, name)
				if info, err := os.Lstat(at); err == nil && !info.IsDir() && !yield(at) {
					return
				}
			}
		}
		for _, name := range listed(dir) {
			if !yield(filepath.Join(dir, name)) {
				return
			}
		}
	}
}

// listed are the names of the Pythons of one folder, in the order of preference.
func listed(dir string) []string {
	d, err := os.Open(dir)
	if err != nil {
		return nil
	}
	defer d.Close()
	all, _ := d.Readdirnames(-1) // what could be read counts
	var names []string
	for _, name := range all {
		if !strings.HasPrefix(name, "py") || !programName().MatchString(name) {
			continue
		}
		if info, err := os.Lstat(filepath.Join(dir, name)); err == nil && !info.IsDir() {
			names = append(names, name)
		}
	}
	rank := func(name string) (int, int) {
		name = strings.TrimSuffix(name, ".exe")
		known := map[string]int{plain[0]: 0, plain[1]: 1, "python2": 1000, "pypy3": 1001, "pypy": 1002}
		if r, ok := known[name]; ok {
			return r, 0
		}
		minor := 0
		for _, c := range name[strings.LastIndexByte(name, '.')+1:] {
			if c >= '0' && c <= '9' {
				minor = minor*10 + int(c-'0')
			}
		}
		if strings.HasPrefix(name, "python3") {
			return 2, -minor
		}
		return 1003, -minor
	}
	sort.Slice(names, func(i, j int) bool {
		a, b := rank(names[i])
		c, d := rank(names[j])
		if a != c {
			return a < c
		}
		return b < d || b == d && names[i] < names[j]
	})
	return names
}

// below are the folders of programs in a folder of installations.
func below(dir string) []string {
	var out []string
	for _, bin := range []string{"bin", ".", "*/bin", "*"} {
		if runtime.GOOS != "windows" && (bin == "." || bin == "*") {
			continue
		}
		found, _ := filepath.Glob(filepath.Join(escapeGlob(dir), bin)) // the pattern is well-formed
		sort.Sort(sort.Reverse(sort.StringSlice(found)))
		out = append(out, found...)
	}
	return out
}

func escapeGlob(path string) string {
	if runtime.GOOS == "windows" {
		return path // there '\' separates and cannot escape
	}
	return strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, `\`, `\\`).Replace(path)
}

func usualPlaces() []string {
	home, _ := os.UserHomeDir()
	switch runtime.GOOS {
	case "windows":
		// Not the top of a drive: any user may make a folder there.
		return []string{filepath.Join(os.Getenv("LOCALAPPDATA"), "Programs", "Python"), os.Getenv("ProgramFiles"), os.Getenv("ProgramFiles(x86)")}
	case "darwin":
		return []string{"/usr", "/usr/local", "/opt/homebrew", "/opt/local", "/Library/Frameworks/Python.framework/Versions", filepath.Join(home, ".local")}
	}
	return []string{"/usr", "/usr/local", "/opt", "/opt/python", filepath.Join(home, ".local")}
}

// All asks every candidate, in parallel, and gives those that answered in the
// order of preference, each once, and why the others were passed over.
func (f *Finder) All(ctx context.Context) ([]Found, []Rejection) {
	list := f.candidates()
	answers := make([]Interpreter, len(list))
	rejected := make([]*Rejection, len(list))
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(2 * runtime.NumCPU())
	for i, c := range list {
		group.Go(func() error {
			in, err := f.Ask(ctx, c.path)
			if r, ok := err.(Rejection); ok {
				rejected[i] = &r
			}
			answers[i] = in
			return nil
		})
	}
	_ = group.Wait() // no call of it fails
	var out []Found
	var passed []Rejection
	seen := map[string]bool{}
	for i, c := range list {
		if rejected[i] != nil {
			passed = append(passed, *rejected[i])
			continue
		}
		key := answers[i].Said.Prefix + "\x00" + answers[i].Path
		if real, err := filepath.EvalSymlinks(answers[i].Path); err == nil {
			key = real
		}
		if !seen[key] {
			seen[key] = true
			out = append(out, Found{answers[i], c.path, c.source})
		}
	}
	f.Cache.Save()
	return out, passed
}

// First is the first interpreter, in the order of preference, that accept
// takes. One that could not be asked for a passing reason, and stands before it, is
// among the rejections: it may have been the one. The candidates on PATH are asked one after the other: mostly the
// first will do, and starting all of them takes time. Those elsewhere come
// after, the newest first.
func (f *Finder) First(ctx context.Context, accept func(Interpreter) bool) (Found, []Rejection, bool) {
	defer f.Cache.Save()
	var passed []Rejection
	for c := range f.search() {
		if c.source == "usual" || c.source == "folder" {
			break
		}
		in, err := f.Ask(ctx, c.path)
		if r, ok := err.(Rejection); ok {
			passed = append(passed, r)
			continue
		}
		if accept(in) && !in.IsPyPy() {
			return Found{in, c.path, c.source}, passed, true
		}
	}
	all, rest := f.All(ctx)
	passed = rest
	best := -1
	for i, in := range all {
		if accept(in.Interpreter) && (best < 0 || better(in.Interpreter, all[best].Interpreter)) {
			best = i
		}
	}
	if best < 0 {
		return Found{}, passed, false
	}
	return all[best], passed, true
}

// better prefers CPython, final releases, and the newer version.
func better(a, b Interpreter) bool {
	if a.IsPyPy() != b.IsPyPy() {
		return b.IsPyPy()
	}
	va, vb := a.Version(), b.Version()
	if va.IsPrerelease() != vb.IsPrerelease() {
		return vb.IsPrerelease()
	}
	return vb.Less(va)
}

// Ask is what one program says it is, from the cache if it is known. The error
// is a [Rejection].
func (f *Finder) Ask(ctx context.Context, path string) (Interpreter, error) {
	if opensWindow(path) {
		return Interpreter{}, Rejection{Path: path, Why: "it is no Python: it opens a window in which one can be installed"}
	}
	info, err := os.Stat(path)
	switch {
	case os.IsNotExist(err):
		return Interpreter{}, Rejection{Path: path, Why: "it is a link to a file that is not there"}
	case err != nil:
		return Interpreter{}, Rejection{Path: path, Why: err.Error(), Passing: passing(err)}
	case info.IsDir() || runtime.GOOS != "windows" && info.Mode()&0o111 == 0:
		return Interpreter{}, Rejection{Path: path, Why: "it is not a program"}
	}
	if in, err, ok := f.Cache.get(path, info); ok {
		return in, err
	}
	timeout := f.Timeout
	if timeout == 0 {
		timeout = probeTimeout
	}
	in, err := Probe(ctx, path, timeout)
	if ctx.Err() == nil {
		f.Cache.put(path, info, in, err)
		// A jar links to the program itself, whatever stands in for it: it need not
		// be asked again.
		if itself, err2 := os.Stat(in.Path); err == nil && err2 == nil && in.Path != path {
			f.Cache.put(in.Path, itself, in, nil)
		}
	}
	return in, err
}

// isScript reports whether a file begins as a script: then it stands in for
// an interpreter, and for which one may depend on the folder it is asked in.
func isScript(path string) bool {
	f, err := os.Open(path)
	if err != nil {
		return false
	}
	defer f.Close()
	var head [2]byte
	n, _ := f.Read(head[:])
	return n == 2 && string(head[:]) == "#!"
}

var workingFolder = sync.OnceValue(func() string { dir, _ := os.Getwd(); return dir })
