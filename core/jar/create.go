package jar

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/interpreter"
)

// Options are what a new jar is to be.
type Options struct {
	// Prompt is the name that activation shows.
	Prompt string
	// SeeSystem makes the base installation's packages visible.
	SeeSystem bool
	// Parts are the pieces of the spec that the jar is to hold.
	Parts Parts
	// Temp is the folder in which the jar is made before it gets its place, on the
	// same file system; it must not be there. Empty for any; the jar's own place
	// where that is a temporary one.
	Temp string
	// Place is the way in which a clone's files are put into it; empty for the
	// cheapest.
	Place string
	// Also writes further files into the jar, by their paths in it, so that all
	// appear together.
	Also map[string][]byte
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
	return build(ctx, root, opt, func(j *Jar) error { return j.build(in, opt) })
}

// Vacant refuses a place at which something stands, with an [*ExistsError]; an
// empty folder is removed.
func Vacant(root string) error {
	if _, err := os.Lstat(root); err != nil {
		return nil
	}
	if Exists(root) {
		return &ExistsError{root, true}
	}
	if os.Remove(root) != nil { // succeeds for an empty folder only
		return &ExistsError{root, false}
	}
	return nil
}

// build fills a new folder beside root and moves it there.
func build(ctx context.Context, root string, opt Options, fill func(*Jar) error) (*Jar, error) {
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
		temp, err = os.MkdirTemp(filepath.Dir(root), filepath.Base(root)+".new-")
	} else {
		err = os.Mkdir(temp, 0o755)
	}
	if err != nil {
		return nil, err
	}
	whole := false
	defer func() {
		if !whole {
			os.RemoveAll(temp)
		}
	}()
	if err := os.Chmod(temp, 0o755); err != nil {
		return nil, err
	}
	j := &Jar{Root: temp}
	if err := fill(j); err != nil {
		return nil, err
	}
	j.NewID()
	for name, data := range opt.Also {
		if err := makeFolder(filepath.Dir(j.Path(name))); err != nil {
			return nil, err
		}
		if err := writeFile(j.Path(name), data, 0o644); err != nil {
			return nil, err
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if temp != root {
		if err := os.Rename(temp, root); err != nil {
			return nil, err
		}
	}
	whole = true
	return Open(root)
}

// Rebase links the jar to another interpreter of the same minor version, and
// writes anew all that belongs to no distribution. It leaves what is right as
// it is and reports what it changed.
func (j *Jar) Rebase(in interpreter.Interpreter, opt Options) ([]string, error) {
	before := map[string]string{}
	for _, name := range j.structure(in) {
		before[name] = contentOf(j.Path(name))
	}
	if err := j.build(in, opt); err != nil {
		return nil, err
	}
	var changed []string
	for _, name := range j.structure(in) {
		if before[name] != contentOf(j.Path(name)) {
			changed = append(changed, name)
		}
	}
	return changed, nil
}

// structure are the jar's files that belong to no distribution.
func (j *Jar) structure(in interpreter.Interpreter) []string {
	l := j.Layout()
	names := append([]string{"pyvenv.cfg", ".gitignore", stateFile, lockFile}, l.PythonNames()...)
	for name := range activation(l) {
		names = append(names, path.Join(l.Scripts(), name))
	}
	return names
}

func contentOf(file string) string {
	if link, err := os.Readlink(file); err == nil {
		return "link " + link
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return ""
	}
	return "file " + string(data)
}

// build makes everything of an empty jar below j.Root.
func (j *Jar) build(in interpreter.Interpreter, opt Options) error {
	j.State = State{Format: Format, Program: "glassjar", Python: in.Said.Version, Implementation: in.Said.Implementation,
		ABI: in.ABI(), OS: in.OS(), Arch: in.Arch(), Library: in.Said.LibraryFolder, FreeThreaded: in.Said.FreeThreaded, SeeSystem: opt.SeeSystem, Prompt: opt.Prompt, Parts: opt.Parts}
	l := j.Layout()
	for _, dir := range []string{ownFolder, l.Scripts(), l.Site(), l.PlatformSite()} {
		if err := makeFolder(j.Path(dir)); err != nil {
			return err
		}
	}
	state, err := json.MarshalIndent(j.State, "", "  ")
	if err != nil {
		return err
	}
	files := map[string]string{
		stateFile:    string(state) + "\n",
		lockFile:     "",
		".gitignore": "# A jar is made anew from the record; it is not kept in version control.\n*\n",
		"pyvenv.cfg": j.configText(in, opt),
	}
	for name, text := range activation(l) {
		files[path.Join(l.Scripts(), name)] = text
	}
	for name, text := range files {
		if contentOf(j.Path(name)) == "file "+text {
			continue
		}
		if err := writeFile(j.Path(name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	if l.Major == 2 {
		return j.linkPython2(in)
	}
	return j.linkPython(in)
}

// configText is pyvenv.cfg. The base's packages stay out of sight unless asked
// for; "base-executable" serves systems where the interpreter is no link.
func (j *Jar) configText(in interpreter.Interpreter, opt Options) string {
	return fmt.Sprintf("home = %s\ninclude-system-site-packages = %t\nversion = %s\nprompt = %s\nbase-executable = %s\n",
		in.Home(), opt.SeeSystem, in.Said.Version, strings.NewReplacer("\n", " ", "\r", " ").Replace(opt.Prompt), in.Path)
}

func (j *Jar) linkPython(in interpreter.Interpreter) error {
	names := j.Layout().PythonNames()
	if err := link(in.Path, j.Path(names[0])); err != nil {
		return err
	}
	for _, name := range names[1:] {
		if err := link(path.Base(names[0]), j.Path(name)); err != nil {
			return err
		}
	}
	return nil
}

// link makes or corrects a link. Where the system has none for this user
// (Windows), the file is copied.
func link(target, at string) error {
	if have, err := os.Readlink(at); err == nil && have == target {
		return nil
	}
	if err := os.Remove(at); err != nil && !os.IsNotExist(err) {
		return err
	}
	err := os.Symlink(target, at)
	if err == nil || !onWindows {
		return err
	}
	if !filepath.IsAbs(target) {
		target = filepath.Join(filepath.Dir(at), target)
	}
	return copyFile(target, at)
}
