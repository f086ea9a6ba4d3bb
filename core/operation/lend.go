package operation

import (
	"context"
	"path/filepath"

	"glassjar/core/lent"
	"glassjar/core/place"
)

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
	Commands []lent.Command
	// Back tells that these were taken back.
	Back bool
	// Filled is what a new jar was filled with, nil where none was made.
	Filled *Outcome
}

// lending is where commands are lent to.
func (m *Machine) lending() *lent.Lending {
	return &lent.Lending{Commands: m.Folders.Commands, Links: filepath.Join(filepath.Dir(m.Folders.Scripts), "lent"),
		Notes: filepath.Join(m.Folders.State, "lent.json"), Temporary: m.Making.Begin}
}

// Lend puts commands of a jar on the shelf into the user's own folder of commands: all of them, or
// none where something else stands there.
func (m *Machine) Lend(ctx context.Context, opt LendOptions, decide Decide) (*Lent, error) {
	if !place.ValidName(opt.Name) {
		return nil, &BadNameError{opt.Name}
	}
	l := m.lending()
	out := &Lent{Folder: l.Commands, Commands: []lent.Command{}}
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
	release, err := m.holdProject(ctx, l.Commands)
	if err != nil {
		return nil, err
	}
	defer release()
	j, err := m.openToUse(ctx, at)
	if err != nil {
		return nil, err
	}
	names, err := lent.Choose(j, opt.Commands)
	if err != nil {
		return nil, err
	}
	out.OnPath = l.OnPath()
	out.Commands, err = l.Lend(j, at.Shelf, names)
	return out, err
}

// ListLent lists all that is lent.
func (m *Machine) ListLent() (*Lent, error) {
	if err := m.seeMoved(); err != nil {
		return nil, err
	}
	l := m.lending()
	return &Lent{Folder: l.Commands, OnPath: l.OnPath(), Commands: l.List()}, nil
}

// LendBack takes back what is lent of a jar: all, or some commands.
func (m *Machine) LendBack(ctx context.Context, name string, commands []string) (*Lent, error) {
	l := m.lending()
	release, err := m.holdProject(ctx, l.Commands)
	if err != nil {
		return nil, err
	}
	defer release()
	out := &Lent{Folder: l.Commands, OnPath: l.OnPath(), Back: true}
	out.Commands, err = l.TakeBack(name, commands)
	return out, err
}
