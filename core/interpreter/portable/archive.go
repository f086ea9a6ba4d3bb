package portable

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"sort"
	"strings"

	"glassjar/core/wheel"
)

// Refusal says why a file is not taken.
type Refusal struct {
	// File is the file's name, Path the member at fault, or empty.
	File, Path, Why string
}

func (r *Refusal) Error() string {
	if r.Path != "" {
		return fmt.Sprintf("%s: %s: %s", r.File, r.Path, r.Why)
	}
	return r.File + ": " + r.Why
}

// File is one file of an unpacked Python.
type File struct {
	// Path is relative to the Python's folder, with '/' between its parts.
	Path       string
	Executable bool
	// Size is in bytes. SHA256 is in hex, and empty where only the file itself has a hash;
	// Hash is as RECORD gives it.
	Size         int64
	SHA256, Hash string

	open func() (io.ReadCloser, error)
}

// Copy writes the content, and fails where that is not as long as it should be.
func (f File) Copy(to io.Writer) error {
	in, err := f.open()
	if err != nil {
		return err
	}
	n, err := io.Copy(to, io.LimitReader(in, f.Size+1))
	if err == nil && n != f.Size {
		err = fmt.Errorf("%s: %w", f.Path, io.ErrUnexpectedEOF)
	}
	return errors.Join(err, in.Close())
}

// Link is a symbolic link that stays within the Python's folder.
type Link struct {
	// Path is where it stands, Target what it leads to, relative to its folder.
	Path, Target string
}

// Archive is an opened file: all that is known before it is unpacked.
type Archive struct {
	Name Name
	// Files and Links are sorted by path; those of PEP 711 have its metadata among them.
	Files []File
	Links []Link
	// Program is the path of the interpreter.
	Program string
	// Standard is what PEP 711 has besides, nil for other archives.
	Standard *Standard

	closers []func()
}

// Close ends the use of an archive.
func (a *Archive) Close() {
	for _, c := range slices.Backward(a.closers) {
		c()
	}
}

func (a *Archive) refuse(path, why string) error { return &Refusal{a.Name.File, path, why} }

// entry is a member of an archive as it comes.
type entry struct {
	path string
	mode fs.FileMode
	size int64
	// link is what a link leads to; hard tells that it is another name of a member before it.
	link string
	hard bool
	open func() (io.ReadCloser, error)
}

// Open reads what is in a file, whose name was understood. An archive that can only be read
// from its begin to its end is unpacked to temp, which is a path where nothing is and is
// removed by [Archive.Close]. The error is a [*Refusal], a [*limits.Error], or the system's.
func Open(ctx context.Context, file string, name Name, temp string) (_ *Archive, err error) {
	a := &Archive{Name: name}
	defer func() {
		if err != nil {
			a.Close()
		}
	}()
	if name.Fault != "" {
		return nil, a.refuse("", name.Fault)
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	a.closers = append(a.closers, func() { f.Close() })
	entries, err := a.read(ctx, f, temp)
	if err != nil {
		return nil, err
	}
	if err := a.take(entries); err != nil {
		return nil, err
	}
	if strings.HasSuffix(strings.ToLower(name.File), ".pybi") {
		if err := a.readStandard(); err != nil {
			return nil, err
		}
	} else if err := a.findRoot(); err != nil {
		return nil, err
	}
	return a, a.checkProgram()
}

// take turns members into files and links, and refuses what would not stay where it is put.
func (a *Archive) take(entries []entry) error {
	at := map[string]int{} // of a file
	kinds := map[string]byte{}
	for _, e := range entries {
		name := strings.TrimSuffix(strings.TrimPrefix(e.path, "./"), "/")
		if name == "" || name == "." || name == "pax_global_header" {
			continue
		}
		if why := wheel.PathFault(name, wheel.DefaultLimits); why != "" {
			return a.refuse(e.path, why)
		}
		if e.mode.IsDir() {
			continue
		}
		if kinds[name] != 0 {
			return a.refuse(name, "it is there twice")
		}
		switch {
		case e.hard:
			to := strings.TrimPrefix(e.link, "./")
			i, ok := at[to]
			if !ok {
				return a.refuse(name, "it leads to "+e.link+", which is no file before it")
			}
			same := a.Files[i]
			same.Path = name
			at[name], kinds[name] = len(a.Files), 'f'
			a.Files = append(a.Files, same)
		case e.link != "":
			if why := linkFault(name, e.link); why != "" {
				return a.refuse(name, why)
			}
			kinds[name] = 'l'
			a.Links = append(a.Links, Link{name, path.Clean(e.link)})
		case e.mode.Type() != 0:
			return a.refuse(name, "it is neither a file, a folder nor a link")
		default:
			at[name], kinds[name] = len(a.Files), 'f'
			a.Files = append(a.Files, File{Path: name, Executable: e.mode.Perm()&0o100 != 0, Size: e.size, open: e.open})
		}
	}
	for name := range kinds {
		for dir := path.Dir(name); dir != "."; dir = path.Dir(dir) {
			if kinds[dir] == 'l' {
				return a.refuse(name, "it would be written through the link "+dir)
			}
			if kinds[dir] == 'f' {
				return a.refuse(name, "it stands in a file")
			}
		}
	}
	a.sort()
	return nil
}

func (a *Archive) sort() {
	sort.Slice(a.Files, func(i, k int) bool { return a.Files[i].Path < a.Files[k].Path })
	sort.Slice(a.Links, func(i, k int) bool { return a.Links[i].Path < a.Links[k].Path })
}

// linkFault says why a link's target is refused, or is empty.
func linkFault(name, target string) string {
	if strings.HasPrefix(target, "/") || strings.ContainsAny(target, "\\:\x00") {
		return "it leads to " + target + ", which is not relative"
	}
	if to := path.Join(path.Dir(name), target); to == ".." || strings.HasPrefix(to, "../") {
		return "it leads to " + target + ", outside of its folder"
	}
	return ""
}

// programs are the names under which an interpreter stands, the best first.
var programs = []string{"bin/python3", "bin/python", "python.exe", "bin/pypy3", "bin/pypy", "pypy.exe"}

// findRoot finds the folder in an archive that is the Python, and leaves out what is beside
// it, and compiled modules: they are compiled anew, since files get times of their own.
func (a *Archive) findRoot() error {
	depth, best := 1<<30, -1
	root := ""
	consider := func(name string) {
		for rank, program := range programs {
			if name != program && !strings.HasSuffix(name, "/"+program) {
				continue
			}
			dir := strings.TrimSuffix(strings.TrimSuffix(name, program), "/")
			if d := strings.Count(name, "/") - strings.Count(program, "/"); d < depth || d == depth && rank < best {
				depth, best, root, a.Program = d, rank, dir, program
			}
		}
	}
	for _, f := range a.Files {
		consider(f.Path)
	}
	for _, l := range a.Links {
		consider(l.Path)
	}
	if best < 0 {
		return a.refuse("", "it holds no Python: no bin/python3 and no python.exe")
	}
	prefix := root + "/"
	if root == "" {
		prefix = ""
	}
	var files []File
	for _, f := range a.Files {
		rest, ok := strings.CutPrefix(f.Path, prefix)
		if !ok || strings.HasSuffix(rest, ".pyc") && strings.Contains(rest, "__pycache__/") {
			continue
		}
		f.Path = rest
		files = append(files, f)
	}
	var links []Link
	for _, l := range a.Links {
		if rest, ok := strings.CutPrefix(l.Path, prefix); ok {
			if why := linkFault(rest, l.Target); why != "" {
				return a.refuse(l.Path, why)
			}
			links = append(links, Link{rest, l.Target})
		}
	}
	a.Files, a.Links = files, links
	return nil
}

// checkProgram refuses a Python that cannot be the base of a jar.
func (a *Archive) checkProgram() error {
	there := func(name string) bool {
		return slices.ContainsFunc(a.Files, func(f File) bool { return f.Path == name }) || slices.ContainsFunc(a.Links, func(l Link) bool { return l.Path == name })
	}
	if !there(a.Program) {
		return a.refuse(a.Program, "it is not there, and would be the interpreter")
	}
	if !strings.HasSuffix(a.Program, ".exe") {
		return nil
	}
	for _, f := range a.Files {
		if path.Dir(f.Path) == path.Dir(a.Program) && strings.HasSuffix(f.Path, "._pth") {
			return a.refuse(f.Path, "with it Python looks nowhere but where it says, and so is in no jar: this is the kind that is made to be part of another program")
		}
	}
	return nil
}
