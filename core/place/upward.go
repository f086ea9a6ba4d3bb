package place

import (
	"os"
	"path/filepath"

	"glassjar/core/jar"
	"glassjar/core/project"
)

// Beyond is a jar or a project above the folder in which a command was given, which is
// not used.
type Beyond struct {
	// Dir is its folder; Why says where the search ended.
	Dir string
	Why string
}

// Why the search upward ends.
const (
	EndOfRepository = "the repository begins below it"
	EndOfSystem     = "it is on another file system"
	EndOfOwn        = "a folder on the way is not yours alone"
	EndAtHome       = "it is your home folder"
	EndAtTop        = "it is the top of the file system"
)

// Nearest is the jar of the project in whose folder the user stands, there or not;
// empty outside of projects. beyond, if not nil, is what lies above where the search
// ends: otherwise whatever stands in the home folder, or was put into a folder that
// many may write to, would capture all below.
func (f Finder) Nearest() (root string, beyond *Beyond) {
	home, _ := os.UserHomeDir() // without one there is none to keep out of
	why := ""
	for dir := f.Dir; ; {
		if at := jarAt(dir); at != "" {
			if why != "" {
				return "", &Beyond{dir, why}
			}
			return at, nil
		}
		above := filepath.Dir(dir)
		if above == dir {
			return "", nil
		}
		if why == "" {
			why = endAt(dir, above, home)
		}
		dir = above
	}
}

// jarAt is the jar of a folder that has one or is a project; empty for others.
func jarAt(dir string) string {
	root := filepath.Join(dir, JarFolder)
	if jar.Exists(root) {
		return root
	}
	for _, name := range []string{project.SpecFile, project.RecordFile} {
		if info, err := os.Stat(filepath.Join(dir, name)); err == nil && info.Mode().IsRegular() {
			return root
		}
	}
	return ""
}

// endAt says why the search does not go from a folder to the one above; empty if it
// does.
func endAt(dir, above, home string) string {
	if _, err := os.Lstat(filepath.Join(dir, ".git")); err == nil {
		return EndOfRepository // a folder, or the file of a work tree or a submodule
	}
	switch {
	case home != "" && Real(above) == Real(home):
		return EndAtHome
	case filepath.Dir(above) == above:
		return EndAtTop
	case !sameSystem(dir, above):
		return EndOfSystem
	case !OwnFolder(above):
		return EndOfOwn
	}
	return ""
}
