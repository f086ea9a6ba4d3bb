// Package place is which jar a command acts on, and whether it may: the search upward
// and its bounds, names on the shelf, and trust. It makes and writes nothing but the
// list of known jars, and starts nothing.
package place

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode"

	"glassjar/core/internal/lazy"
	"glassjar/core/jar"
	"glassjar/core/project"
	"glassjar/core/shelf"
)

// Finder finds jars for a user who stands in a folder.
type Finder struct {
	// Dir is where the user stands, Active the folder that VIRTUAL_ENV names or empty,
	// Shelf the folder of the named jars; absolute.
	Dir, Active, Shelf string
	// Known is the list of jars of this user, with the marks of those made here.
	Known shelf.List
	// Trusted are folders whose jars are trusted, whoever made them.
	Trusted []string
	// Scripts is the folder of the jars of scripts, OfScript the root of that of a file that is a
	// script, there or not, or empty, Titles what such jars are called, by root.
	Scripts  string
	OfScript func(file string) (string, error)
	Titles   map[string]string
}

// JarFolder is the name of a project's jar; further ones are ".jar-NAME".
const JarFolder = ".jar"

// Why a place was chosen.
const (
	Named   = "named"   // by --jar
	Active  = "active"  // it is the shell's
	Nearest = "nearest" // it is the project's
)

// Place is a jar, there or to be made, and the files that belong to it.
type Place struct {
	// Root is the jar's folder; Why is one of the package's constants.
	Root, Why string
	// Project is the project's folder, empty for a jar that belongs to none.
	Project string
	// Shelf is the jar's name on the shelf, or empty.
	Shelf string
	// Title is the name of a jar that has none by its place; empty for most.
	Title string
	// SpecFile and RecordFile are the paths of spec and record.
	SpecFile, RecordFile string
}

// Exists reports whether the jar is there.
func (p Place) Exists() bool { return jar.Exists(p.Root) }

// Prompt is the name that activation shows.
func (p Place) Prompt() string {
	if p.Shelf+p.Title != "" {
		return p.Shelf + p.Title
	}
	if p.Project == "" {
		return plainName(filepath.Base(p.Root))
	}
	if spec, err := project.ReadSpec(p.SpecFile); err == nil && spec.Name != "" {
		return spec.Name + strings.TrimPrefix(filepath.Base(p.Root), JarFolder)
	}
	return ProjectName(p.Project) + strings.TrimPrefix(filepath.Base(p.Root), JarFolder)
}

// Key is the folder of the spec and record that belong to a place: its project's, or
// the jar itself. They are held by that.
func (p Place) Key() string {
	if p.Project != "" {
		return p.Project
	}
	return p.Root
}

// Call is what people call the jar that stands at a path, there or not, or that of the
// project there: by its name on the shelf, or by its project's; empty for one that has
// only its path.
func (f Finder) Call(root string) string {
	switch p := f.At(root, Named); {
	case p.Shelf != "":
		return p.Shelf + ", on the shelf"
	case p.Project != "":
		return p.Prompt()
	case p.Title != "":
		return p.Title + ", of a script"
	case !jar.Exists(root) && jarAt(root) != "":
		return f.Call(jarAt(root))
	}
	return ""
}

// Called is [Machine.Call], or else the path.
func (f Finder) Called(p Place) string {
	if name := f.Call(p.Root); name != "" {
		return name
	}
	return project.Shorten(f.Dir, p.Root)
}

// plainName is a folder's name as a prompt can show it: shells evaluate what stands in
// prompts.
func plainName(name string) string {
	plain := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune("-_. ", r) {
			return r
		}
		return '-'
	}, name)
	if plain = strings.Trim(plain, "- "); plain == "" {
		return "jar"
	}
	return plain
}

// ProjectName makes a distribution's name of a folder's.
func ProjectName(dir string) string {
	if name := project.PlainName(filepath.Base(dir)); name != "" {
		return name
	}
	return "project"
}

// At describes a jar by its folder.
func (f Finder) At(root, why string) Place {
	p := Place{Root: root, Why: why}
	base := filepath.Base(root)
	switch {
	case filepath.Dir(root) == f.Shelf:
		p.Shelf = base
	case base == JarFolder || strings.HasPrefix(base, JarFolder+"-"):
		p.Project = filepath.Dir(root)
		p.SpecFile = filepath.Join(p.Project, project.SpecFile)
		p.RecordFile = filepath.Join(p.Project, project.RecordFile)
		if name := strings.TrimPrefix(base, JarFolder+"-"); name != base {
			p.RecordFile = filepath.Join(p.Project, "pylock."+strings.ReplaceAll(name, ".", "-")+".toml") // PEP 751: no further dot
		}
		return p
	}
	if filepath.Dir(root) == f.Scripts {
		p.Title = f.Titles[root]
		if j, err := jar.Open(root); p.Title == "" && err == nil {
			p.Title = j.State.Prompt
		}
	}
	// A jar without a project keeps its own spec and record.
	p.SpecFile = filepath.Join(root, "glassjar", project.SpecFile)
	p.RecordFile = filepath.Join(root, "glassjar", project.RecordFile)
	return p
}

// Locate finds the jar that a command acts on. ref is what --jar gives, or
// empty. For a command that writes, an active jar and a project's that
// disagree are an error, a [*DisagreeError]; otherwise the project's is taken.
// The jar need not exist, unless the place is neither named nor a project's:
// then the error is a [*NoJarError].
func (f Finder) Locate(ref string, writes bool) (Place, error) {
	if ref != "" {
		return f.Named(ref)
	}
	active := ""
	nearest, beyond := f.Nearest()
	if f.Active != "" && jar.Exists(f.Active) {
		active = Real(f.Active)
	}
	switch {
	case active != "" && nearest != "" && Real(nearest) != active:
		if writes {
			return Place{}, &DisagreeError{active, nearest}
		}
		return f.At(nearest, Nearest), nil
	case nearest != "":
		return f.At(nearest, Nearest), nil
	case active != "":
		return f.At(active, Active), nil
	}
	return Place{}, f.NoJar(&NoJarError{Root: filepath.Join(f.Dir, JarFolder), Beyond: beyond})
}

// Real is a path without links, as far as it is there.
func Real(path string) string {
	if real, err := filepath.EvalSymlinks(path); err == nil {
		return real
	}
	return filepath.Clean(path)
}

// Named finds a jar by a name on the shelf or a path.
func (f Finder) Named(ref string) (Place, error) {
	if !strings.ContainsAny(ref, `/\`) && !strings.HasPrefix(ref, ".") && ref != "~" {
		if root := filepath.Join(f.Shelf, ref); jar.Exists(root) {
			return f.At(root, Named), nil
		}
	}
	root := Absolute(f.Dir, project.FromHome(ref))
	if inner := filepath.Join(root, JarFolder); !jar.Exists(root) && jar.Exists(inner) {
		root = inner // a project's folder stands for its jar
	}
	if jar.Exists(root) {
		return f.At(root, Named), nil
	}
	if f.OfScript != nil {
		switch own, err := f.OfScript(root); {
		case err != nil:
			return Place{}, err
		case jar.Exists(own):
			return f.At(own, Named), nil
		case own != "":
			return f.At(own, Named), &NoJarError{Root: own, Named: ref, Script: root}
		}
	}
	if !strings.ContainsAny(ref, `/\`) {
		switch roots := f.CalledSo(ref); len(roots) {
		case 0:
		case 1:
			return f.At(roots[0], Named), nil
		default:
			return Place{}, &SeveralError{ref, roots}
		}
	}
	info, err := os.Stat(root)
	return f.At(root, Named), f.NoJar(&NoJarError{Root: root, Named: ref, File: err == nil && info.Mode().IsRegular()})
}

// CalledSo are the known jars of projects with a name.
func (f Finder) CalledSo(name string) []string {
	known, err := f.Known.All()
	if err != nil {
		return nil
	}
	var out []string
	for _, k := range known {
		if p := f.At(k.Root, Named); p.Shelf+p.Title == "" && p.Exists() && p.Prompt() == name {
			out = append(out, k.Root)
		}
	}
	return out
}

// maxUsed is how many of the jars used last an error names.
const maxUsed = 3

// NoJar adds to an error what the user may have meant.
func (f Finder) NoJar(e *NoJarError) *NoJarError {
	e.Shelf = f.ShelfNames()
	known, _ := f.Known.All() // a hint more or less
	slices.SortStableFunc(known, func(a, b shelf.Known) int { return b.Used.Compare(a.Used) })
	for _, k := range known {
		if p := f.At(k.Root, Named); len(e.Used) < maxUsed && p.Exists() && p.Shelf+p.Title == "" {
			e.Used = append(e.Used, p.Prompt())
		}
	}
	return e
}

// ShelfNames are the names of the jars on the shelf.
func (f Finder) ShelfNames() []string {
	entries, err := os.ReadDir(f.Shelf)
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range entries {
		if ValidName(e.Name()) && jar.Exists(filepath.Join(f.Shelf, e.Name())) {
			names = append(names, e.Name())
		}
	}
	return names
}

var jarName = lazy.Pattern(`^[A-Za-z0-9][A-Za-z0-9._-]*$`)

// ValidName reports whether a jar on the shelf can have a name.
func ValidName(name string) bool { return jarName().MatchString(name) }

// Within reports whether a file is in a folder.
func Within(dir, file string) bool {
	for _, d := range []string{dir, Real(dir)} {
		rel, err := filepath.Rel(d, file)
		if err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
			return true
		}
	}
	return false
}
