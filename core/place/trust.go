package place

import (
	"os"
	"path/filepath"
	"runtime"

	"glassjar/core/internal/fileid"
	"glassjar/core/jar"
)

// NotTrustedError says that a jar was not made by this program on this machine for this
// user, and so nothing of it is run and nothing in it is written.
type NotTrustedError struct {
	Jar string
	// Record tells that there is a record to make it anew from.
	Record bool
}

func (e *NotTrustedError) Error() string {
	return e.Jar + " was not made by this program on this machine for you"
}

// ElsewhereError says that a project's jar is a link to a jar that belongs to another
// project, or to the shelf, and so is not written to under this name.
type ElsewhereError struct{ Jar, Target string }

func (e *ElsewhereError) Error() string {
	return e.Jar + " is a link to " + e.Target + ", which is not this project's"
}

// MayUse refuses a jar of which nothing may be run, with a [*NotTrustedError]. A folder
// in which no jar can be read is let through: whoever opens it says what is wrong.
func (f Finder) MayUse(root string) error {
	if _, err := jar.Open(root); err != nil || f.MayBeUsed(root) {
		return nil
	}
	_, err := os.Stat(f.At(root, Named).RecordFile)
	return &NotTrustedError{root, err == nil}
}

// OwnPlace refuses a project's jar that is a link to somebody else's, with an
// [*ElsewhereError]: it is not written to under this name.
func (f Finder) OwnPlace(p Place) error {
	if info, err := os.Lstat(p.Root); p.Project == "" || err != nil || info.Mode()&os.ModeSymlink == 0 {
		return nil
	}
	f.Shelf = Real(f.Shelf)
	target := f.At(Real(p.Root), Named)
	if target.Shelf != "" || target.Project != "" && target.Project != Real(p.Project) {
		return &ElsewhereError{p.Root, target.Root}
	}
	return nil
}

// MayBeUsed reports whether a jar is trusted: this program made it on this machine for
// this user, or the user said so; it belongs to the system's administrator, and the
// user is another; or it lies below a folder that the settings name.
func (f Finder) MayBeUsed(root string) bool {
	real := Real(root)
	if f.Known.Trusted(real) {
		return true
	}
	for _, dir := range f.Trusted {
		if below(real, Real(dir)) {
			return true
		}
	}
	return ofAdministrator(real)
}

func below(path, dir string) bool {
	rel, err := filepath.Rel(dir, path)
	return err == nil && filepath.IsLocal(rel)
}

// ofAdministrator reports whether all that decides what a jar runs belongs to the
// system's administrator alone, whom every other user trusts anyway. The administrator
// trusts nobody's jars for their owner: a copied tree has the same.
func ofAdministrator(root string) bool {
	j, err := jar.Open(root)
	if err != nil {
		return false
	}
	l := j.Layout()
	for _, part := range []string{"", "glassjar", "pyvenv.cfg", l.Scripts(), l.Python(), l.Site(), l.PlatformSite()} {
		id, err := fileid.OfLink(filepath.Join(root, filepath.FromSlash(part)))
		if err != nil || !id.Roots() || id.Mine() {
			return false
		}
	}
	return true
}

// OwnFolder reports whether only this user, with a group perhaps, or the administrator
// alone may write to a folder. On Windows, where that stands in lists of rights, it has
// no answer.
func OwnFolder(dir string) bool {
	if runtime.GOOS == "windows" {
		return true
	}
	id, err := fileid.Of(dir)
	return err == nil && !id.All && (id.Mine() || id.Roots())
}

func sameSystem(a, b string) bool {
	x, err := fileid.Of(a)
	y, err2 := fileid.Of(b)
	return err == nil && err2 == nil && x.Device == y.Device
}
