package jar

import (
	"bytes"
	"debug/elf"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/interpreter"
)

// structure2 adds what a jar needs for a Python from before PEP 405, which finds its
// prefix by looking for lib/pythonX.Y/os.py above its own program. So the
// program is copied, and the standard library linked entry by entry; only the
// site module is a copy with one line changed, which shuts the user's own site
// folder out as PEP 405 does.
func (j *Jar) structure2(in interpreter.Interpreter, files map[string]OwnFile) error {
	l := j.Layout()
	program, err := os.ReadFile(in.Path)
	if err != nil {
		return err
	}
	files[l.PythonNames()[0]] = OwnFile{Data: program, Program: true}
	library := path.Dir(l.Site())
	entries, err := os.ReadDir(in.Said.Stdlib)
	if err != nil {
		return err
	}
	for _, e := range entries {
		switch e.Name() {
		case "site-packages", "dist-packages", "site.py", "site.pyc", "site.pyo", "__pycache__":
			continue
		}
		files[path.Join(library, e.Name())] = OwnFile{Link: filepath.Join(in.Said.Stdlib, e.Name())}
	}
	for name, to := range besideProgram(in.Path) {
		files[path.Join("lib", name)] = OwnFile{Link: to}
	}
	headers := filepath.Join(in.Said.Prefix, "include", l.versioned())
	if _, err := os.Stat(headers); err == nil {
		files[path.Join("include", l.versioned())] = OwnFile{Link: headers}
	}
	site, err := site2(in)
	files[path.Join(library, "site.py")] = OwnFile{Data: site}
	files[path.Join(l.Site(), seeSystem2)] = j.see2(in)
	return err
}

// besideProgram are the libraries that a program looks for from where it stands, in the folder
// "lib" beside its own: a copy of the program finds them beside itself.
func besideProgram(program string) map[string]string {
	f, err := elf.Open(program)
	if err != nil {
		return nil // of another system, which has other ways
	}
	defer f.Close()
	ahead, _ := f.DynString(elf.DT_RPATH) // most have one of them, or none
	later, _ := f.DynString(elf.DT_RUNPATH)
	if !slices.ContainsFunc(append(ahead, later...), func(dirs string) bool { return strings.Contains(dirs, "$ORIGIN/../lib") }) {
		return nil
	}
	found, _ := filepath.Glob(filepath.Join(filepath.Dir(program), "..", "lib", "*.so*")) // the pattern is valid
	out := map[string]string{}
	for _, file := range found {
		out[filepath.Base(file)] = file
	}
	return out
}

// site2 is the changed site module.
func site2(in interpreter.Interpreter) ([]byte, error) {
	source, err := os.ReadFile(filepath.Join(in.Said.Stdlib, "site.py"))
	if err != nil {
		return nil, err
	}
	const open, shut = "\nENABLE_USER_SITE = None\n", "\nENABLE_USER_SITE = False\n"
	if !bytes.Contains(source, []byte(open)) {
		return nil, fmt.Errorf("the site module of %s is not one that this program knows how to keep in the jar", in.Path)
	}
	return bytes.Replace(source, []byte(open), []byte(shut), 1), nil
}

// seeSystem2 is the file by which a Python without PEP 405 sees the base's
// packages.
const seeSystem2 = "glassjar-see-system.pth"

func (j *Jar) see2(in interpreter.Interpreter) OwnFile {
	if !j.State.SeeSystem {
		return OwnFile{Gone: true}
	}
	var b bytes.Buffer
	for _, dir := range in.Said.SitePackages {
		b.WriteString(dir + "\n")
	}
	return OwnFile{Data: b.Bytes()}
}
