package operation

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

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
	// SpecFile and RecordFile are the paths of spec and record.
	SpecFile, RecordFile string
}

// Exists reports whether the jar is there.
func (p Place) Exists() bool { return jar.Exists(p.Root) }

// Prompt is the name that activation shows.
func (p Place) Prompt() string {
	if p.Shelf != "" {
		return p.Shelf
	}
	if p.Project == "" {
		return filepath.Base(p.Root)
	}
	if spec, err := project.ReadSpec(p.SpecFile); err == nil && spec.Name != "" {
		return spec.Name + strings.TrimPrefix(filepath.Base(p.Root), JarFolder)
	}
	return projectName(p.Project) + strings.TrimPrefix(filepath.Base(p.Root), JarFolder)
}

// projectName makes a distribution's name of a folder's.
func projectName(dir string) string {
	var b strings.Builder
	for _, r := range filepath.Base(dir) {
		if r < 128 && (r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("-_.", r)) {
			b.WriteRune(r)
		} else {
			b.WriteByte('-')
		}
	}
	name := strings.Trim(requirement.Normalize(b.String()), "-")
	if name == "" {
		return "project"
	}
	return name
}

// DisagreeError says that the active jar is not the project's, so that a
// command that writes cannot know which one is meant.
type DisagreeError struct{ Active, Project string }

func (e *DisagreeError) Error() string {
	return fmt.Sprintf("the active jar is %s, and the project's is %s", e.Active, e.Project)
}

// NoJarError says that there is no jar to act on.
type NoJarError struct {
	// Root is where one was looked for; Named is what --jar gave.
	Root, Named string
	// Record tells that a record is there to recreate it from.
	Record bool
	// Shelf are the names on the shelf, for a name that is not there.
	Shelf []string
}

func (e *NoJarError) Error() string {
	if e.Named != "" {
		return fmt.Sprintf("there is no jar %q", e.Named)
	}
	return "there is no jar here"
}

// placeAt describes a jar by its folder.
func (m *Machine) placeAt(root, why string) Place {
	p := Place{Root: root, Why: why}
	base := filepath.Base(root)
	switch {
	case filepath.Dir(root) == m.Folders.Shelf:
		p.Shelf = base
	case base == JarFolder || strings.HasPrefix(base, JarFolder+"-"):
		p.Project = filepath.Dir(root)
		p.SpecFile = filepath.Join(p.Project, project.SpecFile)
		p.RecordFile = filepath.Join(p.Project, project.RecordFile)
		if name := strings.TrimPrefix(base, JarFolder+"-"); name != base {
			p.RecordFile = filepath.Join(p.Project, "pylock."+name+".toml")
		}
		return p
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
func (m *Machine) Locate(ref string, writes bool) (Place, error) {
	if ref != "" {
		return m.named(ref)
	}
	active, nearest := "", m.nearest()
	if m.Active != "" && jar.Exists(m.Active) {
		active = clean(m.Active)
	}
	switch {
	case active != "" && nearest != "" && clean(nearest) != active:
		if writes {
			return Place{}, &DisagreeError{active, nearest}
		}
		return m.placeAt(nearest, Nearest), nil
	case nearest != "":
		return m.placeAt(nearest, Nearest), nil
	case active != "":
		return m.placeAt(active, Active), nil
	}
	return Place{}, &NoJarError{Root: filepath.Join(m.Dir, JarFolder)}
}

func clean(path string) string {
	if real, err := filepath.EvalSymlinks(path); err == nil {
		return real
	}
	return filepath.Clean(path)
}

// nearest is the jar of the project in whose folder the user stands, there or
// not; empty outside of projects.
func (m *Machine) nearest() string {
	for dir := m.Dir; ; dir = filepath.Dir(dir) {
		root := filepath.Join(dir, JarFolder)
		if jar.Exists(root) {
			return root
		}
		for _, name := range []string{project.SpecFile, project.RecordFile} {
			if info, err := os.Stat(filepath.Join(dir, name)); err == nil && info.Mode().IsRegular() {
				return root
			}
		}
		if dir == filepath.Dir(dir) {
			return ""
		}
	}
}

// named finds a jar by a name on the shelf or a path.
func (m *Machine) named(ref string) (Place, error) {
	if !strings.ContainsAny(ref, `/\`) && !strings.HasPrefix(ref, ".") && ref != "~" {
		if root := filepath.Join(m.Folders.Shelf, ref); jar.Exists(root) {
			return m.placeAt(root, Named), nil
		}
	}
	root := ref
	if rest, ok := strings.CutPrefix(ref, "~"); ok && (rest == "" || rest[0] == '/') {
		if home, err := os.UserHomeDir(); err == nil {
			root = home + rest
		}
	}
	if !filepath.IsAbs(root) {
		root = filepath.Join(m.Dir, root)
	}
	root = filepath.Clean(root)
	if inner := filepath.Join(root, JarFolder); !jar.Exists(root) && jar.Exists(inner) {
		root = inner // a project's folder stands for its jar
	}
	if !jar.Exists(root) {
		return m.placeAt(root, Named), &NoJarError{Root: root, Named: ref, Shelf: m.shelfNames()}
	}
	return m.placeAt(root, Named), nil
}

func (m *Machine) shelfNames() []string {
	entries, err := os.ReadDir(m.Folders.Shelf)
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range entries {
		if jar.Exists(filepath.Join(m.Folders.Shelf, e.Name())) {
			names = append(names, e.Name())
		}
	}
	return names
}
