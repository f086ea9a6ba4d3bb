package interpreter

import (
	"fmt"
	"os"
	"path/filepath"
)

// UserSite is the folder of the user's own packages (PEP 370) for a Python on a
// system, named as Go does. home is the user's home folder; PYTHONUSERBASE and,
// on Windows, APPDATA count as they do for Python.
func UserSite(system, home, implementation string, major, minor int) string {
	base := os.Getenv("PYTHONUSERBASE")
	name := fmt.Sprintf("python%d.%d", major, minor)
	if implementation == "pypy" {
		name = fmt.Sprintf("pypy%d.%d", major, minor)
	}
	if system == "windows" {
		if base == "" {
			if base = os.Getenv("APPDATA"); base == "" {
				base = home
			}
			base = filepath.Join(base, "Python")
		}
		return filepath.Join(base, fmt.Sprintf("Python%d%d", major, minor), "site-packages")
	}
	if base == "" {
		base = filepath.Join(home, ".local")
	}
	return filepath.Join(base, "lib", name, "site-packages")
}
