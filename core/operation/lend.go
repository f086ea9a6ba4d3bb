package operation

import (
	"context"
	"errors"
	"io/fs"
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

// Commands of a jar on the shelf are lent to the user's own folder of commands. What stands there
// leads over one link for each jar, named by its identity, which is set anew when the jar is seen
// at another place.

// LendOptions say which commands of which jar are lent.
type LendOptions struct {
	// Name is the jar's on the shelf.
	Name string
	// Commands are empty for those of what was asked for.
	Commands []string
	// New makes the jar first, with the distribution of its name; Python is a wish for it.
	New    bool
	Python string
}

// Lent tells of commands that are lent.
type Lent struct {
	// Folder is where they are; OnPath tells that the shell looks there.
	Folder string
	OnPath bool
	// Commands are by path.
	Commands []LentCommand
	// Back tells that these were taken back.
	Back bool
	// Filled is what a new jar was filled with, nil where none was made.
	Filled *Outcome
}

// LentCommand is one of them.
type LentCommand struct {
	Name, Path string
	// Jar is the name of its jar.
	Jar string
	// State is one of the constants; Before is another of its name that the shell finds first.
	State  string
	Before string
}

// States of a command that is lent.
const (
	LentFine    = "fine"
	LentNoJar   = "jar gone"
	LentNothing = "not in the jar any more"
	LentChanged = "changed outside"
)

// LentClashError says that something else stands where commands would be lent to.
type LentClashError struct {
	Folder string
	// By tells for each command whose it is: a jar's name, or empty for what was not lent.
	By map[string]string
}

func (e *LentClashError) Error() string {
	return "there is something else already: " + strings.Join(sortedNames(e.By), ", ")
}

// lentNote is what is noted of a command, by its path.
type lentNote struct {
	ID      string `json:"id"`
	Jar     string `json:"jar"`
	Command string `json:"command"`
}

func (m *Machine) lentFile() string { return filepath.Join(m.Folders.State, "lent.json") }

// lentFolder has for each jar a link to where it is.
func (m *Machine) lentFolder() string {
	return filepath.Join(filepath.Dir(m.Folders.Scripts), "lent")
}

// Lend puts commands of a jar on the shelf into the user's own folder of commands: all of them, or
// none where something else stands there.
func (m *Machine) Lend(ctx context.Context, opt LendOptions, decide Decide) (*Lent, error) {
	if !place.ValidName(opt.Name) {
		return nil, &BadNameError{opt.Name}
	}
	out := &Lent{Folder: m.Folders.Commands, Commands: []LentCommand{}}
	at := m.Places().At(filepath.Join(m.Folders.Shelf, opt.Name), place.Named)
	if opt.New {
		made, err := m.Create(ctx, CreateOptions{Name: opt.Name, Python: opt.Python, Put: []string{opt.Name}}, decide)
		if err != nil {
			return nil, err
		}
		if out.Filled = made.Filled; !out.Filled.Done {
			return out, nil
		}
	}
	if !at.Exists() {
		return nil, usage(NoJarToLend, opt.Name)
	}
	release, err := m.holdProject(ctx, m.Folders.Commands)
	if err != nil {
		return nil, err
	}
	defer release()
	j, err := m.openToUse(ctx, at)
	if err != nil {
		return nil, err
	}
	names, err := commandsToLend(j, opt.Commands)
	if err != nil {
		return nil, err
	}
	if err := m.lend(j, at.Shelf, names); err != nil {
		return nil, err
	}
	out.OnPath = onPath(m.Folders.Commands)
	for _, name := range names {
		out.Commands = append(out.Commands, m.lentCommand(m.lentPath(name), lentNote{j.ID(), at.Shelf, name}))
	}
	return out, nil
}

// commandsToLend are those that were named, or else those of what was asked for.
func commandsToLend(j *jar.Jar, named []string) ([]string, error) {
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
		return nil, usage(NothingToLend, filepath.Base(j.Root), strings.Join(all, ", "))
	}
	slices.Sort(asked)
	return slices.Compact(asked), nil
}

// lentPath is where a command is lent to.
func (m *Machine) lentPath(name string) string {
	if runtime.GOOS == "windows" {
		name += ".exe"
	}
	return filepath.Join(m.Folders.Commands, name)
}

// lend makes the links of commands, which are all free or this jar's already.
func (m *Machine) lend(j *jar.Jar, name string, commands []string) error {
	clash := &LentClashError{Folder: m.Folders.Commands, By: map[string]string{}}
	notes := keptmap.Read[lentNote](m.lentFile())
	for _, c := range commands {
		file := m.lentPath(c)
		if _, err := os.Lstat(file); errors.Is(err, fs.ErrNotExist) {
			continue
		}
		switch note, noted := notes[file]; {
		case !noted || !m.lentIs(file, note):
			clash.By[c] = ""
		case note.ID != j.ID():
			clash.By[c] = note.Jar
		}
	}
	if len(clash.By) > 0 {
		return clash
	}
	if err := os.MkdirAll(m.Folders.Commands, 0o777); err != nil {
		return err
	}
	if err := m.pointLent(j.ID(), j.Root); err != nil {
		return err
	}
	learned := map[string]lentNote{}
	for _, c := range commands {
		note := lentNote{j.ID(), name, c}
		learned[m.lentPath(c)] = note
		if err := m.placeLent(j, m.lentPath(c), note); err != nil {
			for file, note := range learned {
				if _, before := notes[file]; !before {
					_ = m.removeLent(file, note) // what was placed before it
				}
			}
			return err
		}
	}
	if !keptmap.Keep(m.lentFile(), learned, nil) {
		return &BusyError{m.lentFile()}
	}
	return nil
}

// seeLent has what is lent of a jar lead to where that is now.
func (m *Machine) seeLent(j *jar.Jar) {
	id := j.ID()
	if to := m.lentRoot(id); id == "" || to == "" || to == j.Root {
		return
	}
	if m.pointLent(id, j.Root) != nil {
		return // the list of what is lent tells
	}
	for file, note := range keptmap.Read[lentNote](m.lentFile()) {
		if note.ID == id && m.lentIs(file, note) {
			_ = m.placeLent(j, file, note)
		}
	}
}

// renameLent notes that a jar of which something is lent has another name.
func (m *Machine) renameLent(id, name string) {
	learned := map[string]lentNote{}
	for file, note := range keptmap.Read[lentNote](m.lentFile()) {
		if note.ID == id {
			learned[file] = lentNote{id, name, note.Command}
		}
	}
	if len(learned) > 0 {
		keptmap.Keep(m.lentFile(), learned, nil)
	}
}

// ListLent lists all that is lent.
func (m *Machine) ListLent() (*Lent, error) {
	out := &Lent{Folder: m.Folders.Commands, OnPath: onPath(m.Folders.Commands), Commands: []LentCommand{}}
	notes := keptmap.Read[lentNote](m.lentFile())
	if err := m.seeMoved(); err != nil {
		return nil, err
	}
	for _, file := range sortedNames(notes) {
		out.Commands = append(out.Commands, m.lentCommand(file, notes[file]))
	}
	return out, nil
}

// LendBack takes back what is lent of a jar: all, or some commands.
func (m *Machine) LendBack(ctx context.Context, name string, commands []string) (*Lent, error) {
	release, err := m.holdProject(ctx, m.Folders.Commands)
	if err != nil {
		return nil, err
	}
	defer release()
	out := &Lent{Folder: m.Folders.Commands, OnPath: onPath(m.Folders.Commands), Commands: []LentCommand{}, Back: true}
	notes := keptmap.Read[lentNote](m.lentFile())
	going, left, jars := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for file, note := range notes {
		jars[note.Jar] = true
		if note.Jar == name && (len(commands) == 0 || slices.Contains(commands, note.Command)) {
			going[file] = true
		} else {
			left[note.ID] = true
		}
	}
	if len(going) == 0 {
		return nil, usage(NothingLent, name, strings.Join(sortedNames(jars), ", "))
	}
	for _, file := range sortedNames(going) {
		note := notes[file]
		c := m.lentCommand(file, note)
		if c.State != LentChanged { // else it is somebody's own by now
			if err := m.removeLent(file, note); err != nil {
				return nil, err
			}
		}
		if !left[note.ID] {
			_ = os.Remove(filepath.Join(m.lentFolder(), note.ID)) // nothing leads over it any more
		}
		out.Commands = append(out.Commands, c)
	}
	if !keptmap.Keep(m.lentFile(), nil, func(file string, _ lentNote) bool { return going[file] }) {
		return nil, &BusyError{m.lentFile()}
	}
	return out, nil
}

// lentCommand looks at one that is lent.
func (m *Machine) lentCommand(file string, note lentNote) LentCommand {
	c := LentCommand{Name: note.Command, Path: file, Jar: note.Jar, State: LentFine}
	root := m.lentRoot(note.ID)
	switch {
	case !m.lentIs(file, note):
		c.State = LentChanged
	case !jar.Exists(root):
		c.State = LentNoJar
	case !fileExists(file) || !fileExists(m.lentTarget(root, note)):
		c.State = LentNothing
	}
	if found, err := exec.LookPath(note.Command); err == nil && place.Real(filepath.Dir(found)) != place.Real(filepath.Dir(file)) && onPath(filepath.Dir(file)) {
		c.Before = found
	}
	return c
}

// lentTarget is the program of a command in its jar.
func (m *Machine) lentTarget(root string, note lentNote) string {
	j, err := jar.Open(root)
	if err != nil {
		return ""
	}
	file := filepath.Join(j.Path(j.Layout().Scripts()), note.Command)
	if runtime.GOOS == "windows" {
		file += ".exe"
	}
	return file
}

// onPath reports whether the shell looks for commands in a folder.
func onPath(dir string) bool {
	return slices.ContainsFunc(filepath.SplitList(os.Getenv("PATH")), func(d string) bool { return d != "" && place.Real(d) == place.Real(dir) })
}
