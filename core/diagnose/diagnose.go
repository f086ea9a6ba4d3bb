// Package diagnose finds out why an import works or fails in a jar, and what mends it.
package diagnose

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/internal/lazy"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/requirement"
	"glassjar/core/shelf"
)

// Case is what a diagnosis comes to.
type Case string

// The cases.
const (
	CaseWorks        Case = "works"
	CaseStandard     Case = "standard library"
	CaseFormer       Case = "once in the standard library"
	CaseShadowed     Case = "shadowed by a file of the project"
	CaseOutside      Case = "works from outside the jar"
	CaseOnlyOutside  Case = "only outside the jar"
	CaseNotInstalled Case = "not installed"
	CaseOtherName    Case = "brought by a distribution of another name"
	CaseMisspelt     Case = "misspelt"
	CaseLetterCase   Case = "upper and lower case"
	CaseOtherJar     Case = "in another jar"
	CaseUnknown      Case = "nowhere to be found"
	CasePart         Case = "its package is here, the part is not"
	CaseNeeds        Case = "its own import fails"
	CaseOtherPython  Case = "built for another python or platform"
	CaseLibrary      Case = "a shared library is missing"
	CaseRaises       Case = "it raises an error"
	CaseDies         Case = "python died on it"
	CaseNotTried     Case = "not tried in a stranger's jar or folder"
)

// Diagnosis is why an import works or fails.
type Diagnosis struct {
	Module string
	Jar    string
	Python string
	// Works tells that the import succeeds; Case is one of the constants.
	Works bool
	Case  Case
	// File is where the module was found; Distribution and Version what it
	// belongs to, Import the name under which it should be imported, if another.
	File         string
	Distribution string
	Version      string
	Import       string
	// Error is what Python said; At the last line of code that was run.
	Error string
	At    string
	// Detail is what the case is about: a missing library, an interpreter's
	// name, a version of Python, a jar, a folder.
	Detail string
	// Because is the diagnosis of the module that is missing within.
	Because *Diagnosis
	// Mend is what mends it.
	Mend Mend
}

// Examination is what is looked at: modules of one jar, from the folder in which the user
// stands.
type Examination struct {
	Jar *jar.Jar
	// Root is the jar's folder as the user names it, Python its interpreter's title.
	Root, Python string
	Installed    []jar.Installed
	// Dir is the folder in which the user stands; Environment are the variables with
	// which the module is imported there.
	Dir         string
	Environment []string
	Catalog     *catalog.Catalog
	// OutsideOf says by which way a file outside of the jar got in; NotSeen are folders of
	// modules that the jar does not see; Others are the jars of this machine.
	OutsideOf func(file string) string
	NotSeen   []string
	Others    func() ([]shelf.Known, error)

	// Import says what importing a module comes to; nil has the jar's interpreter do it.
	Import func(ctx context.Context, module string) (Trial, error)

	seen map[string]bool // modules that were examined
}

var dottedName = lazy.Pattern(`^[\p{L}_][\p{L}\p{N}_]*(\.[\p{L}_][\p{L}\p{N}_]*)*$`)

// IsModule reports whether text is the name of a module as an import writes it.
func IsModule(text string) bool { return dottedName().MatchString(text) }

// Examine imports a module, and so runs its code, and says why that works or fails.
func (x *Examination) Examine(ctx context.Context, module string) (*Diagnosis, error) {
	if x.seen == nil {
		x.seen = map[string]bool{}
	}
	x.seen[module] = true
	importing := x.Import
	if importing == nil {
		importing = x.try
	}
	t, err := importing(ctx, module)
	if err != nil {
		return nil, err
	}
	d := &Diagnosis{Module: module, Jar: x.Root, Python: x.Python, Works: t.OK, File: sourceOf(t.File), At: t.At}
	if t.Error != "" {
		d.Error = strings.TrimSuffix(t.Error+": "+t.Message, ": ")
	}
	if owner, ok := x.owner(d.File); ok {
		d.Distribution, d.Version = owner.Key(), owner.Version().String()
	}
	top, _, _ := strings.Cut(module, ".")
	switch {
	case t.Died != "":
		d.Case, d.Error = CaseDies, t.Died
	case x.shadow(d, t, top):
	case t.OK:
		x.works(d, t, top)
	case t.Missing == module || t.Missing == top || strings.HasPrefix(module, t.Missing+".") && t.Missing != "":
		return d, x.absent(ctx, d, t, top)
	default:
		return d, x.fails(ctx, d, t)
	}
	return d, nil
}

// owner is the installed distribution that a file belongs to.
func (x *Examination) owner(file string) (jar.Installed, bool) {
	rel, err := filepath.Rel(place.Real(x.Jar.Root), file)
	if file == "" || err != nil || strings.HasPrefix(rel, "..") {
		if rel, err = filepath.Rel(x.Jar.Root, file); err != nil || strings.HasPrefix(rel, "..") {
			return jar.Installed{}, false
		}
	}
	rel = filepath.ToSlash(rel)
	for _, d := range x.Installed {
		files, _ := x.Jar.Files(d) // one without a RECORD owns nothing
		for _, f := range files {
			if f.Path == rel || strings.HasSuffix(rel, "/") && strings.HasPrefix(f.Path, rel) {
				return d, true
			}
		}
	}
	return jar.Installed{}, false
}

// shadow tells a file of the project that stands before what is installed or
// before the standard library.
func (x *Examination) shadow(d *Diagnosis, t Trial, top string) bool {
	if d.File == "" || place.Within(x.Jar.Root, d.File) || !place.Within(x.Dir, d.File) {
		return false
	}
	for _, in := range x.Installed {
		if slices.ContainsFunc(x.Jar.Imports(in), func(n string) bool { return n == top || strings.HasPrefix(n, top+".") }) {
			d.Distribution, d.Version = in.Key(), in.Version().String()
			d.Detail = "the distribution " + in.Key()
		}
	}
	if d.Distribution == "" && t.standard(top) {
		d.Detail = "the standard library"
	}
	if d.Detail == "" {
		return false
	}
	d.Case = CaseShadowed
	d.Mend = Mend{Rename, d.File}
	return true
}

// standard reports whether a module is one of the standard library's.
func (t Trial) standard(top string) bool {
	if slices.Contains(t.Builtin, top) || slices.Contains(t.Stdlib, top) {
		return true
	}
	if len(t.Stdlib) > 0 {
		return false
	}
	for _, dir := range t.Path {
		if base := filepath.Base(dir); base == "site-packages" || base == "dist-packages" || !strings.Contains(dir, "python"+t.Version) {
			continue
		}
		for _, name := range []string{top + ".py", top + "/__init__.py"} {
			if _, err := os.Stat(filepath.Join(dir, filepath.FromSlash(name))); err == nil {
				return true
			}
		}
	}
	return false
}

func (x *Examination) works(d *Diagnosis, t Trial, top string) {
	switch {
	case d.Distribution != "":
		d.Case = CaseWorks
	case d.File == "" || t.standard(top):
		d.Case = CaseStandard
	case place.Within(x.Jar.Root, d.File), place.Within(x.Dir, d.File):
		d.Case = CaseWorks // the project's own, or put into the jar by hand
	default:
		d.Case, d.Detail = CaseOutside, x.OutsideOf(d.File)
	}
}

var missingLibrary = lazy.Pattern(`([^\s:'"]+\.(?:so|dylib|dll)[.\d]*): cannot open shared object file|Library not loaded: (\S+)|DLL load failed`)

// fails explains a module that is there and whose code does not get through.
func (x *Examination) fails(ctx context.Context, d *Diagnosis, t Trial) error {
	if found := missingLibrary().FindStringSubmatch(t.Message); found != nil {
		d.Case, d.Detail = CaseLibrary, filepath.Base(found[1]+found[2])
		d.Mend = Mend{System, d.Detail}
		return nil
	}
	for _, sign := range []string{"invalid ELF header", "file too short", "wrong ELF class", "mach-o", "Exec format", "undefined symbol", "Module use of python", "is not a valid Win32"} {
		if strings.Contains(t.Message, sign) {
			x.otherPython(d, d.File)
			return nil
		}
	}
	if t.Missing != "" && !x.seen[t.Missing] {
		because, err := x.Examine(ctx, t.Missing)
		if err != nil {
			return err
		}
		d.Case, d.Because, d.Mend, d.Detail = CaseNeeds, because, because.Mend, t.Missing
		return nil
	}
	d.Case = CaseRaises
	if d.Distribution != "" {
		d.Mend = Mend{Upgrade, d.Distribution}
	}
	return nil
}

func (x *Examination) otherPython(d *Diagnosis, file string) {
	d.Case = CaseOtherPython
	if _, built, ok := metadata.ModuleOf(file); ok && built != "" {
		d.Detail = built
	}
	d.Mend = Mend{Step: Recreate}
	if d.Distribution != "" {
		d.Mend = Mend{Replace, d.Distribution}
	}
}

// key is a module's name as a distribution's would be.
func key(module string) string { return requirement.Normalize(strings.ReplaceAll(module, ".", "-")) }

// Locate says where a module would come from; nothing is run. trusted tells that the jar
// is, and the folder is what is not the user's own.
func (x *Examination) Locate(module string, trusted bool) *Diagnosis {
	d := &Diagnosis{Module: module, Jar: x.Root, Python: x.Python, Case: CaseNotTried, Mend: Mend{Step: Recreate}}
	if trusted {
		d.Detail, d.Mend = x.Dir, Mend{Step: OwnFolder}
	}
	stem := filepath.FromSlash(strings.ReplaceAll(module, ".", "/"))
	dirs := []string{x.Dir}
	for _, site := range x.Jar.Sites() {
		dirs = append(dirs, x.Jar.Path(site))
	}
	for _, dir := range dirs {
		for _, name := range []string{stem + ".py", filepath.Join(stem, "__init__.py"), stem} {
			file := filepath.Join(dir, name)
			if _, err := os.Lstat(file); err == nil {
				d.File = file
				if owner, ok := x.owner(file); ok {
					d.Distribution, d.Version = owner.Key(), owner.Version().String()
				}
				return d
			}
		}
	}
	return d
}
