package jar

import (
	"os"
	"sort"
	"strings"
)

// OwnThingsError says that a jar holds files that this program did not put
// there.
type OwnThingsError struct {
	Jar   string
	Files []string
}

func (e *OwnThingsError) Error() string {
	return e.Jar + " holds things that are not the jar's: " + strings.Join(e.Files, ", ")
}

// ours are the top-level names that a jar can have.
var ours = map[string]bool{"bin": true, "lib": true, "lib64": true, "include": true, "share": true, "etc": true, "man": true,
	"Scripts": true, "Lib": true, "Include": true, "site-packages": true, "pyvenv.cfg": true, ".gitignore": true, ownFolder: true}

// Discardable refuses what [Discard] would refuse, and changes nothing.
func Discardable(root string) error {
	info, err := os.Lstat(root)
	switch {
	case err != nil:
		return &NotAJarError{root, "there is no such folder"}
	case info.Mode()&os.ModeSymlink != 0:
		return &NotAJarError{root, "it is a link; name the jar itself"}
	case !info.IsDir():
		return &NotAJarError{root, "it is a file"}
	}
	j, err := Open(root)
	if err != nil {
		return err
	}
	if _, err := os.Lstat(j.Path("pyvenv.cfg")); err != nil {
		return &NotAJarError{root, "it has no pyvenv.cfg"}
	}
	return j.nothingElse()
}

// Discard removes a jar. It takes nothing but a real folder that this program
// made and that holds nothing else at its top; links in it are removed, never
// followed. The jar is moved to trash first, a place beside it where nothing is, so
// that it is gone at once even if removing its files is cut short.
func Discard(root, trash string) error {
	if err := Discardable(root); err != nil {
		return err
	}
	if err := os.Rename(root, trash); err != nil {
		return err
	}
	return os.RemoveAll(trash)
}

// nothingElse refuses a jar with something of the user's own at its top, unless
// a distribution's data files account for it.
func (j *Jar) nothingElse() error {
	entries, err := os.ReadDir(j.Root)
	if err != nil {
		return err
	}
	strange := map[string]bool{}
	for _, e := range entries {
		if !ours[e.Name()] {
			strange[e.Name()] = true
		}
	}
	if len(strange) == 0 {
		return nil
	}
	installed, err := j.Installed()
	if err != nil {
		return err
	}
	for _, d := range installed {
		files, _ := j.Files(d) // a damaged RECORD accounts for nothing
		for _, f := range files {
			top, _, _ := strings.Cut(f.Path, "/")
			delete(strange, top)
		}
	}
	if len(strange) == 0 {
		return nil
	}
	bad := &OwnThingsError{Jar: j.Root}
	for name := range strange {
		bad.Files = append(bad.Files, name)
	}
	sort.Strings(bad.Files)
	return bad
}
