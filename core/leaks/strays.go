package leaks

import (
	"errors"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"glassjar/core/internal/lazy"
)

// Strays are packages in the user's own site folders (PEP 370).
type Strays struct {
	Folders []StrayFolder
	// Strays is how many folders are in the way now.
	Strays int
}

// StrayFolder is one such folder.
type StrayFolder struct {
	Folder string
	// Python is the version that sees it.
	Python string
	// Holds are distributions as "name version", then other names at its top.
	Holds []string
	// Away tells that it is put aside; Moved is where it was before this command,
	// if that moved it.
	Away  bool
	Moved string
}

// awayEnding is added to the name of a folder that is put away. It stands beside
// its place, so that moving it is one renaming on every system.
const awayEnding = ".put-away"

// List lists what is in the user's own site folders, and what was put away.
func List() (*Strays, error) {
	out := &Strays{Folders: []StrayFolder{}}
	for _, site := range userSites() {
		for _, dir := range []string{site, site + awayEnding} {
			f := StrayFolder{Folder: dir, Python: pythonOfSite(dir), Holds: contentsOf(dir), Away: dir != site}
			if len(f.Holds) == 0 {
				continue
			}
			if !f.Away {
				out.Strays++
			}
			out.Folders = append(out.Folders, f)
		}
	}
	return out, nil
}

var siteVersion = lazy.Pattern(`[Pp]ython(\d)\.?(\d+)`)

func pythonOfSite(dir string) string {
	if found := siteVersion().FindStringSubmatch(dir); found != nil {
		return found[1] + "." + found[2]
	}
	return ""
}

// userSites are the places of such folders for all versions of Python, as far
// as one or its put-away form is there.
func userSites() []string {
	home, err := os.UserHomeDir()
	if err != nil {
		return nil
	}
	bases := []string{filepath.Join(home, ".local", "lib"), filepath.Join(home, "Library", "Python"), filepath.Join(os.Getenv("APPDATA"), "Python")}
	if base := os.Getenv("PYTHONUSERBASE"); base != "" {
		bases = append(bases, filepath.Join(base, "lib"), base)
	}
	seen := map[string]bool{}
	for _, base := range bases {
		entries, _ := os.ReadDir(base) // a folder that is not there has none
		for _, e := range entries {
			for _, site := range []string{filepath.Join(base, e.Name(), "site-packages"), filepath.Join(base, e.Name(), "lib", "python", "site-packages")} {
				for _, dir := range []string{site, site + awayEnding} {
					if _, err := os.Stat(dir); err == nil && filepath.IsAbs(dir) {
						seen[site] = true
					}
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// contentsOf names what is in a folder of packages: distributions, then what
// belongs to none.
func contentsOf(dir string) []string {
	out := holdings(dir)
	if len(out) > 0 {
		return out
	}
	entries, _ := os.ReadDir(dir) // a folder that is not there has none
	for _, e := range entries {
		if !strings.HasPrefix(e.Name(), "__") {
			out = append(out, e.Name())
		}
	}
	sort.Strings(out)
	return out
}

// AwayTwiceError says that a folder cannot be moved since one stands where it
// would go.
type AwayTwiceError struct{ From, To string }

func (e *AwayTwiceError) Error() string { return e.To + " is there already" }

// PutAway moves the user's own site folders aside, each in one renaming.
func PutAway() (*Strays, error) { return move("", awayEnding) }

// BringBack moves them back.
func BringBack() (*Strays, error) { return move(awayEnding, "") }

func move(from, to string) (*Strays, error) {
	moved := map[string]string{}
	for _, site := range userSites() {
		if len(contentsOf(site+from)) == 0 {
			continue
		}
		if err := os.Remove(site + to); err != nil && !errors.Is(err, fs.ErrNotExist) { // succeeds for an empty folder
			return nil, &AwayTwiceError{site + from, site + to}
		}
		if err := os.Rename(site+from, site+to); err != nil {
			return nil, err
		}
		moved[site+to] = site + from
	}
	out, err := List()
	if err != nil {
		return nil, err
	}
	for i := range out.Folders {
		out.Folders[i].Moved = moved[out.Folders[i].Folder]
	}
	return out, nil
}
