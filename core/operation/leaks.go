package operation

import (
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"runtime"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
)

// Leak is a way in which something from outside a jar gets in, or another
// Python than the jar's comes first.
type Leak struct {
	// What is one of the constants; Detail is a path or a value.
	What   string
	Detail string
	// Holds are distributions that come in that way, as "name version".
	Holds []string
}

// Ways for things to leak in.
const (
	LeakPath      = "PYTHONPATH"
	LeakHome      = "PYTHONHOME"
	LeakUser      = "user site"
	LeakPth       = "path file"
	LeakPthCode   = "path file with code"
	LeakSystem    = "see-system"
	LeakOther     = "another python first"
	LeakActive    = "another jar active"
	LeakUserWaits = "user site, not seen"
)

// leaks looks for what gets into a jar from outside.
func (m *Machine) leaks(j *jar.Jar) []Leak {
	out := []Leak{}
	if value := os.Getenv("PYTHONPATH"); value != "" {
		for _, dir := range filepath.SplitList(value) {
			if dir != "" {
				out = append(out, Leak{What: LeakPath, Detail: dir, Holds: holdings(dir)})
			}
		}
	}
	if value := os.Getenv("PYTHONHOME"); value != "" {
		out = append(out, Leak{What: LeakHome, Detail: value})
	}
	if site := userSite(j.Layout()); site != "" {
		if holds := holdings(site); len(holds) > 0 {
			// PEP 405: a jar that does not see its base does not see this either.
			what := LeakUserWaits
			if j.State.SeeSystem || j.Layout().Major == 2 {
				what = LeakUser
			}
			out = append(out, Leak{What: what, Detail: site, Holds: holds})
		}
	}
	if j.State.SeeSystem {
		out = append(out, Leak{What: LeakSystem, Detail: j.Path("pyvenv.cfg")})
	}
	out = append(out, pathFiles(j)...)
	if m.Active == "" {
		return out
	}
	if place.Real(m.Active) != place.Real(j.Root) {
		return append(out, Leak{What: LeakActive, Detail: m.Active})
	}
	if first, err := exec.LookPath("python"); err == nil && place.Real(filepath.Dir(first)) != place.Real(j.Path(j.Layout().Scripts())) {
		out = append(out, Leak{What: LeakOther, Detail: first})
	}
	return out
}

// holdings are the distributions in a folder of packages.
func holdings(dir string) []string {
	list, err := jar.ReadSite(dir)
	if err != nil {
		return nil
	}
	var out []string
	for _, d := range list {
		out = append(out, d.Key()+" "+d.Version().String())
	}
	return out
}

// userSite is the user's own folder of packages for the Python of a jar (PEP
// 370), empty where the place cannot be told.
func userSite(l jar.Layout) string {
	home, err := os.UserHomeDir()
	if err != nil {
		return ""
	}
	return interpreter.UserSite(runtime.GOOS, home, l.Implementation, l.Major, l.Minor)
}

// pathFiles are the .pth files of a jar that add folders outside of it, or run
// code when Python starts.
func pathFiles(j *jar.Jar) []Leak {
	var out []Leak
	own := editableFiles(j)
	for _, site := range j.Sites() {
		entries, _ := os.ReadDir(j.Path(site)) // a folder that is not there holds none
		for _, e := range entries {
			file := j.Path(site, e.Name())
			if !strings.HasSuffix(e.Name(), ".pth") || own[path.Join(site, e.Name())] {
				continue
			}
			data, err := limits.ReadFile(file, limits.Own)
			if err != nil {
				continue
			}
			for _, line := range strings.Split(string(data), "\n") {
				line = strings.TrimSpace(line)
				switch {
				case line == "" || strings.HasPrefix(line, "#"):
				case strings.HasPrefix(line, "import ") || strings.HasPrefix(line, "import\t"):
					out = append(out, Leak{What: LeakPthCode, Detail: file})
				case outside(j, filepath.Dir(file), line):
					out = append(out, Leak{What: LeakPth, Detail: file, Holds: []string{line}})
				}
			}
		}
	}
	return out
}

// editableFiles are the files in a jar of what is installed editable: that it leads
// elsewhere was asked for.
func editableFiles(j *jar.Jar) map[string]bool {
	out := map[string]bool{}
	installed, _ := j.Installed() // what cannot be listed has no such files
	for _, d := range installed {
		if d.Direct == nil || d.Direct.DirInfo == nil || !d.Direct.DirInfo.Editable {
			continue
		}
		files, _ := j.Files(d)
		for _, f := range files {
			out[f.Path] = true
		}
	}
	return out
}

func outside(j *jar.Jar, dir, path string) bool {
	if !filepath.IsAbs(path) {
		path = filepath.Join(dir, path)
	}
	rel, err := filepath.Rel(j.Root, path)
	return err != nil || rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

// outsideOf says by which way a file outside the jar got in.
func (m *Machine) outsideOf(j *jar.Jar, file string) string {
	for _, l := range m.leaks(j) {
		if (l.What == LeakPath || l.What == LeakUser) && place.Within(l.Detail, file) {
			return l.What
		}
		for _, dir := range l.Holds {
			if l.What == LeakPth && filepath.IsAbs(dir) && place.Within(dir, file) {
				return l.What + " " + m.relative(l.Detail)
			}
		}
	}
	if j.State.SeeSystem {
		return LeakSystem
	}
	return filepath.Dir(file)
}
