// Package pack makes a file of PEP 711 of an installed Python: its program, standard library
// and headers, such that they run wherever they are unpacked. It reads ELF programs, and so
// packs on Linux alone. Nothing of the installation is changed.
package pack

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strings"
	"time"

	"glassjar/core/internal/patience"
	"glassjar/core/interpreter"
)

//go:embed ask.py
var ask string

// Options say what is packed.
type Options struct {
	// Tests packs the standard library's tests too, Packages what is installed.
	Tests, Packages bool
	// Libraries packs shared libraries that not every system has; else they are named in
	// the metadata, and looked for where the file is fetched.
	Libraries bool
	// Find is where the system has a shared library, or empty.
	Find func(name string) string
}

// Packed is what came of it.
type Packed struct {
	// File is the file's name, Tag its platform tag.
	File, Tag string
	SHA256    string
	// Size is the file's, Bytes what it unpacks to; Files counts files and links.
	Size, Bytes int64
	Files       int
	// External are libraries that it looks for in the system, Along those that were packed.
	External, Along []string
}

// Error says why a Python cannot be packed.
type Error struct{ Python, Path, Why string }

func (e *Error) Error() string {
	if e.Path != "" {
		return e.Python + ": " + e.Path + ": " + e.Why
	}
	return e.Python + ": " + e.Why
}

// said is what the interpreter tells of where it is installed.
type said struct {
	Prefix  string            `json:"prefix"`
	Paths   map[string]string `json:"paths"`
	Config  map[string]string `json:"config"`
	Include string            `json:"include"`
}

// packer collects what is packed.
type packer struct {
	opt  Options
	in   interpreter.Interpreter
	said said
	// files are the sources of files, by their path in the archive; data are those that
	// are changed; links are links.
	files map[string]string
	data  map[string][]byte
	links map[string]string
	// program is the path of the interpreter's own file in the archive.
	program string
	// ownLibrary tells that most of the interpreter is a shared library.
	ownLibrary bool

	needs      map[string]bool
	glibc      int
	along, out []string
}

// Write packs an interpreter into a folder, under the name that it gets by the standard.
func Write(ctx context.Context, in interpreter.Interpreter, dir string, opt Options) (*Packed, error) {
	if runtime.GOOS != "linux" || in.Said.SysPlatform != "linux" && in.Said.SysPlatform != "linux2" {
		return nil, &Error{in.Path, "", "only Pythons of Linux can be packed"}
	}
	p := &packer{opt: opt, in: in, files: map[string]string{}, data: map[string][]byte{}, links: map[string]string{}, needs: map[string]bool{}}
	if err := p.look(ctx); err != nil {
		return nil, err
	}
	for _, step := range []func(context.Context) error{p.addPrograms, p.addLibrary, p.addHeaders, p.readPrograms, p.settleNeeds, p.movePrograms, p.moveSettings} {
		if err := step(ctx); err != nil {
			return nil, err
		}
	}
	return p.write(ctx, dir)
}

func (p *packer) refuse(path, why string) error { return &Error{p.in.Path, path, why} }

// look asks the interpreter where it is installed.
func (p *packer) look(ctx context.Context) error {
	var text bytes.Buffer
	err := patience.Run(ctx, 30*time.Second, func(ctx context.Context) *exec.Cmd {
		cmd := interpreter.Isolated(ctx, p.in.Path, ask)
		cmd.Stdout = &text
		return cmd
	})
	if err == nil {
		err = json.Unmarshal(text.Bytes(), &p.said)
	}
	if err != nil {
		return p.refuse("", "it does not say where it is installed: "+err.Error())
	}
	if real, err := filepath.EvalSymlinks(p.said.Prefix); err == nil && real != p.said.Prefix {
		// Where it says that it is may be a link; what it says of its folders begins so.
		for key, value := range p.said.Paths {
			if rel, err := filepath.Rel(p.said.Prefix, value); err == nil && filepath.IsLocal(rel) {
				p.said.Paths[key] = filepath.Join(real, rel)
			}
		}
	}
	return nil
}

// versioned is such as "python3.12" or "pypy3.9": its program and folders are called so.
func (p *packer) versioned() string {
	name := map[bool]string{true: "pypy", false: "python"}[p.in.IsPyPy()] + p.in.Minor()
	if p.in.Said.FreeThreaded {
		return name + "t"
	}
	return name
}

// addPrograms takes the interpreter, the names that it goes by, and its own library.
func (p *packer) addPrograms(context.Context) error {
	real, err := filepath.EvalSymlinks(p.in.Path)
	if err != nil {
		return err
	}
	name := p.versioned()
	p.program = "bin/" + name
	p.files[p.program] = real
	major := p.in.Version().Release()[0]
	for _, other := range []string{"python", "python" + major} {
		p.links["bin/"+other] = name
	}
	if p.in.IsPyPy() {
		p.links["bin/pypy"], p.links["bin/pypy"+major] = name, name
	}
	data, err := os.ReadFile(real)
	if err != nil {
		return err
	}
	own, ok, err := readProgram(data)
	if err != nil || !ok {
		return errors.Join(err, p.refuse(real, "it is no program that can be read"))
	}
	for _, need := range own.needs {
		if !strings.HasPrefix(need, "libpython") && !strings.HasPrefix(need, "libpypy") {
			continue
		}
		file := filepath.Join(p.said.Config["LIBDIR"], need)
		for _, dir := range strings.Split(own.path, ":") {
			if at := filepath.Join(strings.ReplaceAll(dir, "$ORIGIN", filepath.Dir(real)), need); filepath.IsAbs(at) && isFile(at) {
				file = at
			}
		}
		if !isFile(file) {
			file = p.opt.Find(need)
		}
		if file == "" || !isFile(file) {
			return p.refuse(need, "it is not where its program looks for it")
		}
		p.files["lib/"+need], p.ownLibrary = file, true
	}
	return nil
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

// shared are installations whose prefix holds other things too: only what is Python's own is
// taken there.
func (p *packer) shared() bool { return p.said.Prefix == "/usr" || p.said.Prefix == "/usr/local" }

// passed reports whether a part of the standard library is not packed.
func (p *packer) passed(rel string, dir bool) bool {
	base := path.Base(rel)
	switch {
	case dir && (base == "__pycache__" || strings.HasPrefix(base, "config-") || base == "config"):
		return true // compiled anew, and for programs that have Python in them
	case dir && (base == "site-packages" || base == "dist-packages"):
		return !p.opt.Packages
	case dir && (base == "test" || base == "tests" || base == "idle_test"):
		return !p.opt.Tests
	case strings.HasSuffix(base, ".pyc"), strings.HasSuffix(base, ".pyo"), strings.HasSuffix(base, ".a"), strings.HasSuffix(base, ".o"):
		return true
	case base == "EXTERNALLY-MANAGED":
		return true // the copy is nobody's but whoever unpacks it
	}
	return rel == "sitecustomize.py"
}

// addLibrary takes the standard library, in the place that the interpreter looks for it.
func (p *packer) addLibrary(ctx context.Context) error {
	for _, key := range []string{"stdlib", "platstdlib"} {
		if err := p.addFolder(ctx, p.said.Paths[key], "lib/"+p.versioned(), p.passed); err != nil {
			return err
		}
	}
	return nil
}

// addHeaders takes the headers; the one with what was found out about the system stands
// elsewhere in some installations.
func (p *packer) addHeaders(ctx context.Context) error {
	to := "include/" + filepath.Base(p.said.Paths["include"])
	if err := p.addFolder(ctx, p.said.Paths["include"], to, func(rel string, _ bool) bool { return p.shared() && strings.HasPrefix(rel, "site/") }); err != nil {
		return err
	}
	if isFile(p.said.Include) {
		p.files[to+"/pyconfig.h"] = p.said.Include
		delete(p.links, to+"/pyconfig.h")
		if arch := p.said.Config["MULTIARCH"]; arch != "" {
			// A header that stands for one of each kind of processor includes that of this.
			other := filepath.Join(filepath.Dir(p.said.Paths["include"]), arch, filepath.Base(to), "pyconfig.h")
			if isFile(other) {
				p.files[to+"/pyconfig.h"] = other
			}
		}
	}
	return nil
}

// addFolder takes what is in a folder. A link that stays in it is a link; one that leads out
// is what it leads to.
func (p *packer) addFolder(ctx context.Context, dir, to string, passed func(rel string, dir bool) bool) error {
	real, err := filepath.EvalSymlinks(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil // headers are often a package of their own
	}
	if err != nil {
		return err
	}
	return filepath.WalkDir(real, func(file string, e fs.DirEntry, err error) error {
		if err == nil {
			err = ctx.Err()
		}
		if err != nil || file == real {
			return err
		}
		rel, err := filepath.Rel(real, file)
		if err != nil {
			return err
		}
		rel = filepath.ToSlash(rel)
		at := path.Join(to, rel)
		switch {
		case passed(rel, e.IsDir()):
			if e.IsDir() {
				return filepath.SkipDir
			}
		case e.IsDir():
		case e.Type()&fs.ModeSymlink != 0:
			return p.addLink(file, at, real)
		case e.Type().IsRegular():
			p.files[at] = file
		}
		return nil
	})
}

func (p *packer) addLink(file, at, top string) error {
	target, err := os.Readlink(file)
	if err != nil {
		return err
	}
	led := target
	if !filepath.IsAbs(led) {
		led = filepath.Join(filepath.Dir(file), led)
	}
	info, err := os.Stat(led)
	if err != nil {
		return nil // it leads nowhere
	}
	rel, err := filepath.Rel(filepath.Dir(file), led)
	inside, err2 := filepath.Rel(top, led)
	if err == nil && err2 == nil && filepath.IsLocal(inside) {
		p.links[at] = filepath.ToSlash(rel)
		return nil
	}
	if info.Mode().IsRegular() {
		p.files[at] = led
	}
	return nil
}

// readPrograms looks into all that is ELF.
func (p *packer) readPrograms(ctx context.Context) error {
	for _, at := range p.paths() {
		if err := ctx.Err(); err != nil {
			return err
		}
		if at != p.program && !strings.Contains(path.Base(at), ".so") {
			continue
		}
		data, err := os.ReadFile(p.files[at])
		if err != nil {
			return err
		}
		if err := p.noteNeeds(at, data); err != nil {
			return err
		}
	}
	return nil
}

func (p *packer) noteNeeds(at string, data []byte) error {
	one, ok, err := readProgram(data)
	if err != nil {
		return p.refuse(at, err.Error())
	}
	if !ok {
		return nil
	}
	p.glibc = max(p.glibc, one.glibc)
	for _, need := range one.needs {
		if !standard(need) && p.files["lib/"+need] == "" {
			p.needs[need] = true
		}
	}
	return nil
}

// settleNeeds packs the libraries that not every system has, or names them.
func (p *packer) settleNeeds(ctx context.Context) error {
	if !p.opt.Libraries {
		p.out = sorted(p.needs)
		return nil
	}
	for len(p.needs) > 0 {
		name := sorted(p.needs)[0]
		delete(p.needs, name)
		file := p.opt.Find(name)
		if file == "" {
			return p.refuse(name, "the system does not have it, and a part of Python needs it")
		}
		real, err := filepath.EvalSymlinks(file)
		if err != nil {
			return err
		}
		data, err := os.ReadFile(real)
		if err != nil {
			return err
		}
		p.files["lib/"+name] = real
		p.along = append(p.along, name)
		if err := errors.Join(p.noteNeeds("lib/"+name, data), ctx.Err()); err != nil {
			return err
		}
	}
	sort.Strings(p.along)
	return nil
}

// movePrograms has each program look for libraries from where it stands.
func (p *packer) movePrograms(context.Context) error {
	for _, at := range p.paths() {
		if at != p.program && !strings.Contains(path.Base(at), ".so") {
			continue
		}
		data, err := os.ReadFile(p.files[at])
		if err != nil {
			return err
		}
		one, ok, err := readProgram(data)
		if err != nil {
			return p.refuse(at, err.Error())
		}
		inherited := at == p.program && len(p.along) > 0
		// A program that found its own library in a folder of the system needs a path, too.
		own := at == p.program && p.ownLibrary && !strings.Contains(one.path, "$ORIGIN/../lib")
		if !ok || !strings.HasPrefix(one.path, "/") && !inherited && !own {
			continue
		}
		up, err := filepath.Rel(path.Dir(at), "lib")
		if err != nil {
			return err
		}
		if data, err = one.lookIn(data, "$ORIGIN/"+filepath.ToSlash(up), inherited); err != nil {
			return p.refuse(at, err.Error())
		}
		p.data[at] = data
	}
	return nil
}

// moveSettings has what sysconfig says of its folders begin where the Python is unpacked.
func (p *packer) moveSettings(context.Context) error {
	for _, at := range p.paths() {
		base := path.Base(at)
		if !strings.HasPrefix(base, "_sysconfigdata") || !strings.HasSuffix(base, ".py") && !strings.HasSuffix(base, ".json") {
			continue
		}
		text, err := os.ReadFile(p.files[at])
		if err != nil {
			return err
		}
		moved := string(text)
		if p.shared() {
			for _, own := range []string{"/lib/" + p.versioned(), "/include/" + p.versioned()} {
				moved = strings.ReplaceAll(moved, p.said.Prefix+own, mark+own)
			}
			moved = strings.ReplaceAll(moved, ": '"+p.said.Prefix+"'", ": '"+mark+"'")
		} else {
			moved = strings.ReplaceAll(moved, p.said.Prefix, mark)
		}
		if moved == string(text) || strings.HasSuffix(base, ".json") {
			continue
		}
		p.data[at] = []byte(strings.TrimRight(moved, "\n") + settingsEnd)
	}
	return nil
}

// mark stands for the Python's folder in what sysconfig says, and settingsEnd puts in where
// that is.
const (
	mark        = "@PYTHON@"
	settingsEnd = `

import sys as _sys
for _name, _value in list(build_time_vars.items()):
    if isinstance(_value, str):
        build_time_vars[_name] = _value.replace("` + mark + `", getattr(_sys, "base_prefix", _sys.prefix))
`
)

// paths are those of all files, sorted.
func (p *packer) paths() []string { return sortedKeys(p.files) }

func sorted(set map[string]bool) []string { return sortedKeys(set) }

func sortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// tag is the platform that it honestly runs on.
func (p *packer) tag() string {
	arch := p.in.Arch()
	if len(p.out) > 0 || p.in.Libc != "glibc" {
		return "linux_" + arch
	}
	return fmt.Sprintf("manylinux_2_%d_%s", max(p.glibc, 5), arch)
}
