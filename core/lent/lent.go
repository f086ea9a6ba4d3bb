// Package lent has commands of jars in the user's own folder of commands. What stands there leads
// over one link for each jar, named by the jar's identity, which is set anew when the jar is seen at
// another place; what was put there is noted by its path, so that nothing of anybody else's is
// written over or taken away.
package lent

import (
	"errors"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"glassjar/core/internal/keptmap"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
)

// Lending says where all of it is.
type Lending struct {
	// Commands is the user's folder of commands, Links that of the links to jars.
	Commands, Links string
	// Notes is the file that tells what was put where.
	Notes string
	// Temporary gives a name beside a file, and what ends its use.
	Temporary func(string) (string, func())
}

// Command is one that is lent.
type Command struct {
	Name, Path string
	// Jar is the name of its jar.
	Jar string
	// State is one of the constants; Before is another of its name that the shell finds first.
	State  string
	Before string
}

// States of a command that is lent.
const (
	Fine    = "fine"
	NoJar   = "jar gone"
	Nothing = "not in the jar any more"
	Changed = "changed outside"
)

// ClashError says that something else stands where commands would be lent to.
type ClashError struct {
	Folder string
	// By tells for each command whose it is: a jar's name, or empty for what was not lent.
	By map[string]string
}

func (e *ClashError) Error() string {
	return "there is something else already: " + strings.Join(slices.Sorted(maps.Keys(e.By)), ", ")
}

// NoCommandError says that a jar has no command of a name.
type NoCommandError struct {
	Name string
	// Jar is its folder; Near are commands of it that are called nearly so.
	Jar  string
	Near []string
}

func (e *NoCommandError) Error() string {
	return "there is no command " + e.Name + " in " + filepath.Base(e.Jar)
}

// NothingError says that there is nothing to lend of a jar, or nothing lent of one.
type NothingError struct {
	Jar string
	// Lent tells that something was to be taken back; Others are the jars of which something is
	// lent. Otherwise they are the commands of the jar: none of what was asked for.
	Lent   bool
	Others []string
}

func (e *NothingError) Error() string {
	if e.Lent {
		return "nothing is lent of " + e.Jar
	}
	return "what was asked for in " + e.Jar + " has no command of its own"
}

// note is what is noted of a command, by its path.
type note struct {
	ID      string `json:"id"`
	Jar     string `json:"jar"`
	Command string `json:"command"`
}

func (l *Lending) notes() map[string]note { return keptmap.Read[note](l.Notes) }

// None reports whether nothing is lent.
func (l *Lending) None() bool { return len(l.notes()) == 0 }

// Choose gives those commands of a jar that were named, or else those of what was asked for. The
// error is a [*NoCommandError] or a [*NothingError].
func Choose(j *jar.Jar, named []string) ([]string, error) {
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	var all, asked []string
	for _, d := range installed {
		scripts := j.Scripts(d)
		all = append(all, scripts...)
		if d.Requested {
			asked = append(asked, scripts...)
		}
	}
	slices.Sort(all)
	for _, name := range named {
		if !slices.Contains(all, name) {
			return nil, &NoCommandError{Name: name, Jar: j.Root, Near: near.Names(name, all)}
		}
	}
	switch {
	case len(named) > 0:
		asked = slices.Clone(named)
	case len(asked) == 0:
		return nil, &NothingError{Jar: filepath.Base(j.Root), Others: all}
	}
	slices.Sort(asked)
	return slices.Compact(asked), nil
}

// Lend has commands of a jar lead there, all of them or none. The error is a [*ClashError] where
// something else stands in the place of one.
func (l *Lending) Lend(j *jar.Jar, name string, commands []string) ([]Command, error) {
	clash := &ClashError{Folder: l.Commands, By: map[string]string{}}
	notes := l.notes()
	for _, c := range commands {
		file := l.path(c)
		if _, err := os.Lstat(file); errors.Is(err, fs.ErrNotExist) {
			continue
		}
		switch n, noted := notes[file]; {
		case noted && n.ID != j.ID() && l.is(file, n):
			clash.By[c] = n.Jar
		case !l.is(file, note{j.ID(), name, c}): // else it is this jar's, also where a kill came before the note
			clash.By[c] = ""
		}
	}
	if len(clash.By) > 0 {
		return nil, clash
	}
	if err := os.MkdirAll(l.Commands, 0o777); err != nil {
		return nil, err
	}
	if err := l.point(j.ID(), j.Root); err != nil {
		return nil, err
	}
	learned := map[string]note{}
	for _, c := range commands {
		n := note{j.ID(), name, c}
		learned[l.path(c)] = n
		if err := l.place(j, l.path(c), n); err != nil {
			l.takeAway(learned, notes)
			return nil, err
		}
	}
	if err := keptmap.Keep(l.Notes, learned, nil); err != nil {
		l.takeAway(learned, notes) // nobody would know whose it is
		return nil, err
	}
	out := []Command{}
	for _, c := range commands {
		out = append(out, l.look(l.path(c), learned[l.path(c)]))
	}
	return out, nil
}

// takeAway removes what was placed just now.
func (l *Lending) takeAway(placed, before map[string]note) {
	for file, n := range placed {
		if _, stays := before[file]; !stays {
			_ = l.remove(file, n)
		}
	}
}

// See has what is lent of a jar lead to where that is now.
func (l *Lending) See(j *jar.Jar) {
	id := j.ID()
	if to := l.root(id); id == "" || to == "" || to == j.Root {
		return
	}
	if l.point(id, j.Root) != nil {
		return // the list of what is lent tells
	}
	for file, n := range l.notes() {
		if n.ID == id && l.is(file, n) {
			_ = l.place(j, file, n)
		}
	}
}

// Rename notes that a jar of which something is lent has another name.
func (l *Lending) Rename(id, name string) {
	learned := map[string]note{}
	for file, n := range l.notes() {
		if n.ID == id {
			learned[file] = note{id, name, n.Command}
		}
	}
	if len(learned) > 0 {
		_ = keptmap.Keep(l.Notes, learned, nil) // the old name is shown
	}
}

// List lists all that is lent, by path.
func (l *Lending) List() []Command {
	out := []Command{}
	notes := l.notes()
	for _, file := range slices.Sorted(maps.Keys(notes)) {
		out = append(out, l.look(file, notes[file]))
	}
	return out
}

// TakeBack takes back what is lent of a jar: all, or some commands. What somebody has changed since
// stays. The error is a [*NothingError] where nothing of it is lent.
func (l *Lending) TakeBack(name string, commands []string) ([]Command, error) {
	notes := l.notes()
	going, left, jars := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for file, n := range notes {
		jars[n.Jar] = true
		if n.Jar == name && (len(commands) == 0 || slices.Contains(commands, n.Command)) {
			going[file] = true
		} else {
			left[n.ID] = true
		}
	}
	if len(going) == 0 {
		return nil, &NothingError{Jar: name, Lent: true, Others: slices.Sorted(maps.Keys(jars))}
	}
	out := []Command{}
	for _, file := range slices.Sorted(maps.Keys(going)) {
		n := notes[file]
		c := l.look(file, n)
		if c.State != Changed { // else it is somebody's own by now
			if err := l.remove(file, n); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return nil, err
			}
		}
		if !left[n.ID] {
			_ = os.Remove(filepath.Join(l.Links, n.ID)) // nothing leads over it any more
		}
		out = append(out, c)
	}
	return out, keptmap.Keep(l.Notes, nil, func(file string, _ note) bool { return going[file] })
}

// look looks at one that is lent.
func (l *Lending) look(file string, n note) Command {
	c := Command{Name: n.Command, Path: file, Jar: n.Jar, State: Fine}
	root := l.root(n.ID)
	switch {
	case !l.is(file, n):
		c.State = Changed
	case !jar.Exists(root):
		c.State = NoJar
	case !there(file) || !there(target(root, n)):
		c.State = Nothing
	}
	if found, err := exec.LookPath(n.Command); err == nil && place.Real(filepath.Dir(found)) != place.Real(filepath.Dir(file)) && l.OnPath() {
		c.Before = found
	}
	return c
}

// path is where a command is lent to.
func (l *Lending) path(name string) string { return filepath.Join(l.Commands, program(name)) }

// program is the file name of a command.
func program(name string) string {
	if runtime.GOOS == "windows" {
		name += ".exe"
	}
	return name
}

// target is the program of a command in its jar, or empty where that cannot be read.
func target(root string, n note) string {
	j, err := jar.Open(root)
	if err != nil {
		return ""
	}
	return filepath.Join(j.Path(j.Layout().Scripts()), program(n.Command))
}

func there(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}

// OnPath reports whether the shell looks for commands in the folder.
func (l *Lending) OnPath() bool {
	return slices.ContainsFunc(filepath.SplitList(os.Getenv("PATH")), func(d string) bool { return d != "" && place.Real(d) == place.Real(l.Commands) })
}
