package operation

import (
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/internal/lazy"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/requirement"
)

//go:embed trial.py
var trialScript string

// Cases of a diagnosis.
const (
	CaseWorks        = "works"
	CaseStandard     = "standard library"
	CaseFormer       = "once in the standard library"
	CaseShadowed     = "shadowed by a file of the project"
	CaseOutside      = "works from outside the jar"
	CaseOnlyOutside  = "only outside the jar"
	CaseNotInstalled = "not installed"
	CaseOtherName    = "brought by a distribution of another name"
	CaseMisspelt     = "misspelt"
	CaseLetterCase   = "upper and lower case"
	CaseOtherJar     = "in another jar"
	CaseUnknown      = "nowhere to be found"
	CasePart         = "its package is here, the part is not"
	CaseNeeds        = "its own import fails"
	CaseOtherPython  = "built for another python or platform"
	CaseLibrary      = "a shared library is missing"
	CaseRaises       = "it raises an error"
	CaseDies         = "python died on it"
	CaseNotTried     = "not tried in a stranger's jar or folder"
)

// Diagnosis is why an import works or fails.
type Diagnosis struct {
	Module string `json:"module"`
	Jar    string `json:"jar"`
	Python string `json:"python"`
	// Works tells that the import succeeds; Case is one of the constants.
	Works bool   `json:"works"`
	Case  string `json:"case"`
	// File is where the module was found; Distribution and Version what it
	// belongs to, Import the name under which it should be imported, if another.
	File         string `json:"file,omitempty"`
	Distribution string `json:"distribution,omitempty"`
	Version      string `json:"version,omitempty"`
	Import       string `json:"import,omitempty"`
	// Error is what Python said; At the last line of code that was run.
	Error string `json:"error,omitempty"`
	At    string `json:"at,omitempty"`
	// Detail is what the case is about: a missing library, an interpreter's
	// name, a version of Python, a jar, a folder.
	Detail string `json:"detail,omitempty"`
	// Because is the diagnosis of the module that is missing within.
	Because *Diagnosis `json:"because,omitempty"`
	// Mend is the one command, or step, that mends it; empty if there is none.
	Mend string `json:"mended_by,omitempty"`
}

// trial is what the import came to.
type trial struct {
	OK      bool     `json:"ok"`
	File    string   `json:"file"`
	Error   string   `json:"error"`
	Message string   `json:"message"`
	Missing string   `json:"missing"`
	At      string   `json:"at"`
	Path    []string `json:"path"`
	Builtin []string `json:"builtin"`
	Stdlib  []string `json:"stdlib"`
	Version string   `json:"version"`
	// died says how Python ended if it wrote nothing.
	died string
}

// try runs the import in the jar's interpreter, in the user's folder.
func (m *Machine) try(ctx context.Context, j *jar.Jar, module string) (trial, error) {
	dir, err := os.MkdirTemp("", "glassjar-trial-")
	if err != nil {
		return trial{}, err
	}
	defer os.RemoveAll(dir)
	into := filepath.Join(dir, "came")
	cmd := exec.CommandContext(ctx, j.Python(), "-c", trialScript, into, module)
	cmd.Env, cmd.Dir = m.insideEnvironment(j), m.Dir
	// A diagnosis leaves nothing behind, also no bytecode in the project.
	cmd.Env = append(cmd.Env, "PYTHONDONTWRITEBYTECODE=1")
	said, err := cmd.CombinedOutput()
	if ctx.Err() != nil {
		return trial{}, ctx.Err()
	}
	var t trial
	data, readErr := os.ReadFile(into)
	if readErr != nil || json.Unmarshal(data, &t) != nil {
		lines := strings.Split(strings.TrimSpace(string(said)), "\n")
		t.died = lines[len(lines)-1]
		if err != nil {
			t.died = strings.TrimPrefix(t.died+"; "+err.Error(), "; ")
		}
	}
	return t, nil
}

// Diagnose finds out why importing a module works or fails, and what mends it. It
// imports the module, and so runs its code, unless the jar is not trusted or the folder
// is another user's: then it only says where the module would come from.
func (m *Machine) Diagnose(ctx context.Context, ref, module string) (*Diagnosis, error) {
	if !dottedName().MatchString(module) {
		return nil, usage("%q is not a module's name", "give it as in an import: glassjar diagnose package.module", module)
	}
	return steady(ctx, m, ref, func() (*Diagnosis, error) { return m.diagnose(ctx, ref, module) })
}

func (m *Machine) diagnose(ctx context.Context, ref, module string) (*Diagnosis, error) {
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	if !m.Places().MayBeUsed(at.Root) || !place.OwnFolder(m.Dir) {
		return m.locateModule(at, j, installed, module), nil
	}
	if _, err := j.Base(); err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	x := &examination{m: m, j: j, place: at, catalog: m.newCatalog(indexes), installed: installed, seen: map[string]bool{}}
	return x.examine(ctx, module)
}

var dottedName = lazy.Pattern(`^[\p{L}_][\p{L}\p{N}_]*(\.[\p{L}_][\p{L}\p{N}_]*)*$`)

// examination looks at one module, and at what it fails on in turn.
type examination struct {
	m         *Machine
	j         *jar.Jar
	place     place.Place
	catalog   *catalog.Catalog
	installed []jar.Installed
	seen      map[string]bool
}

func (x *examination) examine(ctx context.Context, module string) (*Diagnosis, error) {
	x.seen[module] = true
	t, err := x.m.try(ctx, x.j, module)
	if err != nil {
		return nil, err
	}
	d := &Diagnosis{Module: module, Jar: x.place.Root, Python: pythonTitle(x.j), Works: t.OK, File: sourceOf(t.File), At: t.At}
	if t.Error != "" {
		d.Error = strings.TrimSuffix(t.Error+": "+t.Message, ": ")
	}
	if owner, ok := x.owner(d.File); ok {
		d.Distribution, d.Version = owner.Key(), owner.Version().String()
	}
	top, _, _ := strings.Cut(module, ".")
	switch {
	case t.died != "":
		d.Case, d.Error = CaseDies, t.died
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

// locateModule says where a module would come from; nothing is run.
func (m *Machine) locateModule(at place.Place, j *jar.Jar, installed []jar.Installed, module string) *Diagnosis {
	d := &Diagnosis{Module: module, Jar: at.Root, Python: pythonTitle(j), Case: CaseNotTried, Mend: "glassjar recreate"}
	if m.Places().MayBeUsed(at.Root) {
		d.Detail, d.Mend = m.Dir, "stand in a folder of your own"
	}
	x := &examination{m: m, j: j, place: at, installed: installed}
	stem := filepath.FromSlash(strings.ReplaceAll(module, ".", "/"))
	dirs := []string{m.Dir}
	for _, site := range j.Sites() {
		dirs = append(dirs, j.Path(site))
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

// sourceOf is the source of what was loaded from bytecode.
func sourceOf(file string) string {
	if stem, ok := strings.CutSuffix(file, ".pyc"); ok {
		return stem + ".py"
	}
	return file
}

// owner is the installed distribution that a file belongs to.
func (x *examination) owner(file string) (jar.Installed, bool) {
	rel, err := filepath.Rel(place.Real(x.j.Root), file)
	if file == "" || err != nil || strings.HasPrefix(rel, "..") {
		if rel, err = filepath.Rel(x.j.Root, file); err != nil || strings.HasPrefix(rel, "..") {
			return jar.Installed{}, false
		}
	}
	rel = filepath.ToSlash(rel)
	for _, d := range x.installed {
		files, _ := x.j.Files(d) // one without a RECORD owns nothing
		for _, f := range files {
			if f.Path == rel || strings.HasSuffix(rel, "/") && strings.HasPrefix(f.Path, rel) {
				return d, true
			}
		}
	}
	return jar.Installed{}, false
}

// within reports whether a file is in a folder.
func within(dir, file string) bool {
	for _, d := range []string{dir, place.Real(dir)} {
		rel, err := filepath.Rel(d, file)
		if err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
			return true
		}
	}
	return false
}

// shadow tells a file of the project that stands before what is installed or
// before the standard library.
func (x *examination) shadow(d *Diagnosis, t trial, top string) bool {
	if d.File == "" || within(x.j.Root, d.File) || !within(x.m.Dir, d.File) {
		return false
	}
	for _, in := range x.installed {
		if slices.ContainsFunc(x.j.Imports(in), func(n string) bool { return n == top || strings.HasPrefix(n, top+".") }) {
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
	d.Mend = "give " + x.m.relative(d.File) + " another name"
	return true
}

// relative is a path as the user would type it.
func (m *Machine) relative(file string) string {
	if rel, err := filepath.Rel(m.Dir, file); err == nil && !strings.HasPrefix(rel, "..") {
		return rel
	}
	return file
}

// standard reports whether a module is one of the standard library's.
func (t trial) standard(top string) bool {
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

func (x *examination) works(d *Diagnosis, t trial, top string) {
	switch {
	case d.Distribution != "":
		d.Case = CaseWorks
	case d.File == "" || t.standard(top):
		d.Case = CaseStandard
	case within(x.j.Root, d.File), within(x.m.Dir, d.File):
		d.Case = CaseWorks // the project's own, or put into the jar by hand
	default:
		d.Case, d.Detail = CaseOutside, x.outsideOf(d.File)
	}
}

// outsideOf says by which way a file outside the jar got in.
func (x *examination) outsideOf(file string) string {
	for _, l := range x.m.leaks(x.j) {
		if (l.What == LeakPath || l.What == LeakUser) && within(l.Detail, file) {
			return l.What
		}
		for _, dir := range l.Holds {
			if l.What == LeakPth && filepath.IsAbs(dir) && within(dir, file) {
				return l.What + " " + x.m.relative(l.Detail)
			}
		}
	}
	if x.j.State.SeeSystem {
		return LeakSystem
	}
	return filepath.Dir(file)
}

var missingLibrary = lazy.Pattern(`([^\s:'"]+\.(?:so|dylib|dll)[.\d]*): cannot open shared object file|Library not loaded: (\S+)|DLL load failed`)

// fails explains a module that is there and whose code does not get through.
func (x *examination) fails(ctx context.Context, d *Diagnosis, t trial) error {
	if found := missingLibrary().FindStringSubmatch(t.Message); found != nil {
		d.Case, d.Detail = CaseLibrary, filepath.Base(found[1]+found[2])
		d.Mend = fmt.Sprintf("install the system's package that has %s", d.Detail)
		return nil
	}
	for _, sign := range []string{"invalid ELF header", "file too short", "wrong ELF class", "mach-o", "Exec format", "undefined symbol", "Module use of python", "is not a valid Win32"} {
		if strings.Contains(t.Message, sign) {
			x.otherPython(d, d.File)
			return nil
		}
	}
	if t.Missing != "" && !x.seen[t.Missing] {
		because, err := x.examine(ctx, t.Missing)
		if err != nil {
			return err
		}
		d.Case, d.Because, d.Mend, d.Detail = CaseNeeds, because, because.Mend, t.Missing
		return nil
	}
	d.Case = CaseRaises
	if d.Distribution != "" {
		d.Mend = "glassjar upgrade " + d.Distribution
	}
	return nil
}

func (x *examination) otherPython(d *Diagnosis, file string) {
	d.Case = CaseOtherPython
	if _, built, ok := metadata.ModuleOf(file); ok && built != "" {
		d.Detail = built
	}
	d.Mend = "glassjar recreate"
	if d.Distribution != "" {
		d.Mend = fmt.Sprintf("glassjar uninstall %s, then install a version for this Python", d.Distribution)
	}
}

// key is a module's name as a distribution's would be.
func key(module string) string { return requirement.Normalize(strings.ReplaceAll(module, ".", "-")) }
