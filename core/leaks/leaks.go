// Package leaks finds what gets into a jar from outside, and what lies in the user's own site folders,
// from which it does.
package leaks

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
	Path         = "PYTHONPATH"
	Home         = "PYTHONHOME"
	User         = "user site"
	PathFile     = "path file"
	PathFileCode = "path file with code"
	System       = "see-system"
	OtherPython  = "another python first"
	OtherJar     = "another jar active"
	UserWaits    = "user site, not seen"
)

// Into looks for what gets into a jar from outside; active is the jar that is active in the shell,
// or empty.
func Into(j *jar.Jar, active string) []Leak {
	out := []Leak{}
	if value := os.Getenv("PYTHONPATH"); value != "" {
		for _, dir := range filepath.SplitList(value) {
			if dir != "" {
				out = append(out, Leak{What: Path, Detail: dir, Holds: holdings(dir)})
			}
		}
	}
	if value := os.Getenv("PYTHONHOME"); value != "" {
		out = append(out, Leak{What: Home, Detail: value})
	}
	if site := UserSite(j.Layout()); site != "" {
		if holds := holdings(site); len(holds) > 0 {
			// PEP 405: a jar that does not see its base does not see this either.
			what := UserWaits
			if j.State.SeeSystem || j.Layout().Major == 2 {
				what = User
			}
			out = append(out, Leak{What: what, Detail: site, Holds: holds})
		}
	}
	if j.State.SeeSystem {
		out = append(out, Leak{What: System, Detail: j.Path("pyvenv.cfg")})
	}
	out = append(out, pathFiles(j)...)
	if active == "" {
		return out
	}
	if place.Real(active) != place.Real(j.Root) {
		return append(out, Leak{What: OtherJar, Detail: active})
	}
	if first, err := exec.LookPath("python"); err == nil && place.Real(filepath.Dir(first)) != place.Real(j.Path(j.Layout().Scripts())) {
		out = append(out, Leak{What: OtherPython, Detail: first})
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

// UserSite is the user's own folder of packages for the Python of a jar (PEP
// 370), empty where the place cannot be told.
func UserSite(l jar.Layout) string {
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
					out = append(out, Leak{What: PathFileCode, Detail: file})
				case outside(j, filepath.Dir(file), line):
					out = append(out, Leak{What: PathFile, Detail: file, Holds: []string{line}})
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

// Way says by which way a file outside of a jar got in, as [Into] has it. Detail is the file that
// adds its folder, where one does; where no way is known it is the folder alone.
func Way(j *jar.Jar, active, file string) (what, detail string) {
	for _, l := range Into(j, active) {
		if (l.What == Path || l.What == User) && place.Within(l.Detail, file) {
			return l.What, ""
		}
		for _, dir := range l.Holds {
			if l.What == PathFile && filepath.IsAbs(dir) && place.Within(dir, file) {
				return l.What, l.Detail
			}
		}
	}
	if j.State.SeeSystem {
		return System, ""
	}
	return "", filepath.Dir(file)
}
