package jar

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"strings"
	"unicode"
	"unicode/utf16"

	"glassjar/core/interpreter"
	"glassjar/core/project"
)

// Options are what a new jar is to be.
type Options struct {
	// Prompt is the name that activation shows.
	Prompt string
	// SeeSystem makes the base installation's packages visible.
	SeeSystem bool
	// Parts are the pieces of the spec that the jar is to hold.
	Parts project.Parts
	// Temp is the folder in which the jar is made before it gets its place, on the
	// same file system; it must not be there. Empty for any.
	Temp string
	// Place is the way in which a clone's files are put into it; empty for the
	// cheapest.
	Place string
	// Prepared, if set, is called with the jar before it gets its place.
	Prepared func(*Jar) error
	// Also writes further files into the jar, by their paths in it, so that all
	// appear together; and so do Spec and Record, if set, in the places of Outside.
	Also         map[string][]byte
	Spec, Record *Text
	Outside      Outside
}

// ExistsError says that something stands where a jar should go.
type ExistsError struct {
	Path string
	// Jar tells that it is a jar.
	Jar bool
}

func (e *ExistsError) Error() string {
	if e.Jar {
		return "there is a jar at " + e.Path + " already"
	}
	return "something stands at " + e.Path + " already"
}

// Create makes an empty jar at root, whole or not at all. The error is an
// [*ExistsError] if anything stands there; an empty folder is no obstacle.
func Create(ctx context.Context, root string, in interpreter.Interpreter, opt Options) (*Jar, error) {
	return place(ctx, root, opt, func(temp string) (*Jar, error) { return Prepare(temp, in, opt) })
}

// Prepare makes an empty jar in a folder that is not there yet, where nobody looks
// for one: it is filled, and then gets its place ([Jar.Commit]).
func Prepare(temp string, in interpreter.Interpreter, opt Options) (*Jar, error) {
	return prepare(temp, opt, func(j *Jar) error { return j.build(in, opt) })
}

func prepare(temp string, opt Options, fill func(*Jar) error) (*Jar, error) {
	if err := makeFolder(temp); err != nil {
		return nil, err
	}
	j := &Jar{Root: temp, prepared: true}
	if err := fill(j); err != nil {
		return nil, err
	}
	j.NewID()
	for name, data := range opt.Also {
		if err := (OwnFile{Data: data}).write(j.Path(name)); err != nil {
			return nil, err
		}
	}
	if opt.Prepared == nil {
		return j, nil
	}
	return j, opt.Prepared(j)
}

// place has a jar made in a folder beside root, and gives it its place.
func place(ctx context.Context, root string, opt Options, prepare func(temp string) (*Jar, error)) (*Jar, error) {
	root, err := filepath.Abs(root)
	if err != nil {
		return nil, err
	}
	if err := Vacant(root); err != nil {
		return nil, err
	}
	if err := makeFolder(filepath.Dir(root)); err != nil {
		return nil, err
	}
	temp := opt.Temp
	if temp == "" {
		if temp, err = os.MkdirTemp(filepath.Dir(root), filepath.Base(root)+".new-"); err != nil {
			return nil, err
		}
	}
	j, err := prepare(temp)
	if err == nil {
		j.texts, j.outside = map[string]*Text{stepSpec: opt.Spec, stepRecord: opt.Record}, opt.Outside
		err = j.Commit(ctx, root)
	}
	if err != nil {
		return nil, errors.Join(err, os.RemoveAll(temp))
	}
	return j, nil
}

// PlaceError says that a jar cannot be used where it stands, or is to stand.
type PlaceError struct{ Path, Why string }

func (e *PlaceError) Error() string { return e.Path + ": " + e.Why }

// Usable refuses a place whose path no PATH, or no shell, can hold, or from which the
// system starts no program, with a [*PlaceError].
func Usable(root string) error {
	rest := root[len(filepath.VolumeName(root)):]
	if strings.ContainsFunc(root, unicode.IsControl) {
		return &PlaceError{root, "its path has a line end, a tab or another control character, which scripts and shells cannot hold"}
	}
	if strings.ContainsRune(rest, os.PathListSeparator) {
		return &PlaceError{root, fmt.Sprintf("its path has a %q, which separates the folders of PATH: no program would be found in it", string(os.PathListSeparator))}
	}
	if n := len(utf16.Encode([]rune(filepath.Join(root, "Scripts", "pythonw.exe")))); runtime.GOOS == "windows" && n >= maxPath {
		return &PlaceError{root, fmt.Sprintf("its programs' paths would have %d characters, and Windows starts none of more than %d", n, maxPath-1)}
	}
	return nil
}

// maxPath is MAX_PATH of Windows, the end of the text included: of a program that is to be
// started, whatever is set up for other files.
const maxPath = 260

// Vacant refuses a place at which something stands, with an [*ExistsError], or that
// cannot be used, with a [*PlaceError]; an empty folder is removed.
func Vacant(root string) error {
	if err := Usable(root); err != nil {
		return err
	}
	info, err := os.Lstat(root)
	if err != nil {
		return nil
	}
	if Exists(root) {
		return &ExistsError{root, true}
	}
	if !info.IsDir() || os.Remove(root) != nil { // succeeds for an empty folder only
		return &ExistsError{root, false}
	}
	return nil
}

// Rebase is what has to change so that the jar links to another interpreter of the
// same minor version, and all that belongs to no distribution is as this program
// writes it: files by their paths in the jar, for a [Change]. State is then as it
// will be.
func (j *Jar) Rebase(in interpreter.Interpreter, opt Options) (map[string]OwnFile, error) {
	j.State = stateFor(in, opt)
	all, err := j.structure(in, opt)
	if err != nil {
		return nil, err
	}
	delete(all, lockFile) // it is held
	for name, f := range all {
		was, err := stateOf(j.Path(name))
		if err != nil {
			return nil, err
		}
		if was == f.state() {
			delete(all, name)
		}
	}
	return all, nil
}

func stateFor(in interpreter.Interpreter, opt Options) State {
	return State{Format: Format, Program: "glassjar", Python: in.Said.Version, Implementation: in.Said.Implementation,
		ABI: in.ABI(), OS: in.OS(), Arch: in.Arch(), Library: in.Said.LibraryFolder, FreeThreaded: in.Said.FreeThreaded, SeeSystem: opt.SeeSystem, Prompt: opt.Prompt, Parts: opt.Parts}
}

// structure are the jar's files that belong to no distribution.
func (j *Jar) structure(in interpreter.Interpreter, opt Options) (map[string]OwnFile, error) {
	state, err := json.MarshalIndent(j.State, "", "  ")
	if err != nil {
		return nil, err
	}
	l := j.Layout()
	mark, _ := j.BaseChanged(in.Path)
	files := map[string]OwnFile{
		stateFile:    {Data: append(state, '\n')},
		lockFile:     {},
		baseFile:     {Data: []byte(mark)},
		".gitignore": {Data: []byte("# A jar is made anew from the record; it is not kept in version control.\n*\n")},
		"pyvenv.cfg": {Data: []byte(j.configText(in, opt))},
	}
	for name, text := range activation(l) {
		files[path.Join(l.Scripts(), name)] = OwnFile{Data: []byte(text)}
	}
	if onWindows {
		return files, l.windowsPython(in, files)
	}
	names := l.PythonNames()
	files[names[0]] = OwnFile{Link: in.Path}
	if l.Major == 2 {
		if err := j.structure2(in, files); err != nil {
			return nil, err
		}
	}
	for _, name := range names[1:] {
		files[name] = OwnFile{Link: path.Base(names[0])}
	}
	return files, nil
}

// build makes everything of an empty jar below j.Root.
func (j *Jar) build(in interpreter.Interpreter, opt Options) error {
	j.State = stateFor(in, opt)
	l := j.Layout()
	for _, dir := range []string{ownFolder, l.Scripts(), l.Site(), l.PlatformSite()} {
		if err := makeFolder(j.Path(dir)); err != nil {
			return err
		}
	}
	all, err := j.structure(in, opt)
	if err != nil {
		return err
	}
	return j.writeOwn(all)
}

// configText is pyvenv.cfg. The base's packages stay out of sight unless asked
// for; "base-executable" serves systems where the interpreter is no link, and "base-launcher" says
// that the jar's own is a launcher of that one.
func (j *Jar) configText(in interpreter.Interpreter, opt Options) string {
	text := fmt.Sprintf("home = %s\ninclude-system-site-packages = %t\nversion = %s\nprompt = %s\nbase-executable = %s\n",
		in.Home(), opt.SeeSystem, in.Said.Version, strings.NewReplacer("\n", " ", "\r", " ").Replace(opt.Prompt), in.Path)
	if redirects(in) {
		text += "base-launcher = true\n"
	}
	return text
}

// link makes a symbolic link where nothing is.
func link(target, at string) error { return os.Symlink(target, at) }
