package jar

import (
	"bytes"
	"fmt"
	"os"
	"path"
	"path/filepath"

	"glassjar/core/interpreter"
)

// linkPython2 makes a jar for a Python from before PEP 405, which finds its
// prefix by looking for lib/pythonX.Y/os.py above its own program. So the
// program is copied, and the standard library linked entry by entry; only the
// site module is a copy with one line changed, which shuts the user's own site
// folder out as PEP 405 does.
func (j *Jar) linkPython2(in interpreter.Interpreter) error {
	l := j.Layout()
	names := l.PythonNames()
	program := j.Path(names[0])
	if !sameContent(in.Path, program) {
		if err := os.Remove(program); err != nil && !os.IsNotExist(err) {
			return err
		}
		if err := copyFile(in.Path, program); err != nil {
			return err
		}
	}
	for _, name := range names[1:] {
		if err := link(path.Base(names[0]), j.Path(name)); err != nil {
			return err
		}
	}
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
		if err := link(filepath.Join(in.Said.Stdlib, e.Name()), j.Path(library, e.Name())); err != nil {
			return err
		}
	}
	headers := filepath.Join(in.Said.Prefix, "include", l.versioned())
	if _, err := os.Stat(headers); err == nil {
		if err := makeFolder(j.Path("include")); err != nil {
			return err
		}
		if err := link(headers, j.Path("include", l.versioned())); err != nil {
			return err
		}
	}
	if err := j.site2(in, library); err != nil {
		return err
	}
	return j.see2(in, l)
}

// site2 writes the changed site module.
func (j *Jar) site2(in interpreter.Interpreter, library string) error {
	source, err := os.ReadFile(filepath.Join(in.Said.Stdlib, "site.py"))
	if err != nil {
		return err
	}
	const open, shut = "\nENABLE_USER_SITE = None\n", "\nENABLE_USER_SITE = False\n"
	if !bytes.Contains(source, []byte(open)) {
		return fmt.Errorf("the site module of %s is not one that this program knows how to keep in the jar", in.Path)
	}
	return writeFile(j.Path(library, "site.py"), bytes.Replace(source, []byte(open), []byte(shut), 1), 0o644)
}

// seeSystem2 is the file by which a Python without PEP 405 sees the base's
// packages.
const seeSystem2 = "glassjar-see-system.pth"

func (j *Jar) see2(in interpreter.Interpreter, l Layout) error {
	file := j.Path(l.Site(), seeSystem2)
	if !j.State.SeeSystem {
		if err := os.Remove(file); err != nil && !os.IsNotExist(err) {
			return err
		}
		return nil
	}
	var b bytes.Buffer
	for _, dir := range in.Said.SitePackages {
		b.WriteString(dir + "\n")
	}
	return writeFile(file, b.Bytes(), 0o644)
}
