package operation

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/catalog"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/settings"
	"glassjar/core/start"
)

// Launch is a command ready to be started inside a jar.
type Launch struct {
	Jar string
	// Path is the program, Args its arguments with the name first, Env the whole
	// environment.
	Path string
	Args []string
	Env  []string
	// Script is the file of a script that is run in a jar of its own, absolute; empty for most.
	Script string
	// Line, if set, is the whole command line in place of Args, on Windows.
	Line string

	inside start.Inside
}

// NoCommandError says that a command is neither in the jar nor on PATH.
type NoCommandError struct {
	Name string
	Near []string
	// BroughtBy are distributions of the index that have such a script.
	BroughtBy []string
	// Group or Extra is a part of the spec that brings it and is not in the jar.
	Group, Extra string
	// Here tells that a file of that name is where the user stands.
	Here bool
}

func (e *NoCommandError) Error() string { return "there is no command " + e.Name }

// Run prepares a command: the jar's own programs come first, a Python file is
// run by the jar's interpreter. A script with a block of metadata is run in a jar of its own,
// unless a jar is named.
func (m *Machine) Run(ctx context.Context, ref string, command []string) (*Launch, error) {
	if ref == "" && m.isScript(command[0]) {
		return m.runScript(ctx, command)
	}
	at, err := m.Places().Locate(ref, true)
	if err != nil {
		return nil, err
	}
	j, err := m.readyJar(ctx, at)
	if err != nil {
		return nil, err
	}
	l, err := m.launchIn(j, command)
	if err != nil {
		return nil, m.noCommand(ctx, at, j, command[0], err)
	}
	return l, nil
}

// launchIn prepares a command in a jar: the jar's own programs come first, a Python file is run by
// the jar's interpreter. The error says that there is no such command.
func (m *Machine) launchIn(j *jar.Jar, command []string) (*Launch, error) {
	var err error
	inside := m.inside(j)
	l := &Launch{Jar: j.Root, Env: inside.Environment(os.Environ()), Args: append([]string(nil), command...), inside: inside}
	name := command[0]
	if start.IsScript(name) {
		file := m.absolute(name)
		if isFile(file) {
			l.Path, l.Args = j.Python(), append([]string{"python"}, command...)
			return l, nil
		}
	}
	if l.Path = start.Find(inside.Bin, name); l.Path != "" {
		return l, nil
	}
	if l.Path, err = exec.LookPath(name); err != nil {
		return nil, err
	}
	if abs, err := filepath.Abs(l.Path); err == nil {
		l.Path = abs
	}
	return l, nil
}

// readyJar opens a jar to run something in it, and brings its Python where that is gone.
func (m *Machine) readyJar(ctx context.Context, at place.Place) (*jar.Jar, error) {
	j, err := m.openToUse(ctx, at)
	if err != nil {
		return nil, err
	}
	if _, gone := j.Base(); gone != nil {
		if err := m.bringBase(ctx, at, j, gone); err != nil {
			return nil, err
		}
		return m.open(at)
	}
	return j, nil
}

// bringBase has the Python of a jar that is gone fetched, where one like it can be had and the
// user or the settings say so, and the jar linked to it. Where the machine has one like it,
// that is left to the user, and the error is the one that told that the jar's own is gone.
func (m *Machine) bringBase(ctx context.Context, at place.Place, j *jar.Jar, gone error) error {
	if m.NoHints {
		return gone
	}
	if _, _, here := m.finder().First(ctx, func(in interpreter.Interpreter) bool { return standsFor(j, in) }); here {
		return gone
	}
	release, err := m.hold(ctx, at)
	if err != nil {
		return err
	}
	defer release()
	_, err = m.mend(ctx, at)
	var none *NoPythonError
	if errors.As(err, &none) && none.Offer == nil && none.Looking == nil {
		return gone
	}
	return err
}

// noCommand says what is near, and which distributions would bring the command, or what is wrong
// with the file that was named.
func (m *Machine) noCommand(ctx context.Context, at place.Place, j *jar.Jar, name string, cause error) error {
	if err := m.cannotFind(name, cause); err != nil {
		return err
	}
	bin := j.Path(j.Layout().Scripts())
	e := &NoCommandError{Name: name, Near: near.Names(name, scripts(bin)), Here: isFile(m.absolute(name))}
	if m.NoHints {
		return e
	}
	if e.Group, e.Extra = m.partWithCommand(at, j, name); e.Group+e.Extra != "" {
		return e
	}
	if strings.ContainsAny(name, `/\`) {
		return e
	}
	if spec, err := readSpec(at); err == nil {
		indexes, _ := m.indexes(spec)
		e.BroughtBy = catalog.SupplierNames(m.newCatalog(indexes).WithCommand(ctx, name))
	}
	return e
}

// partWithCommand is the group or extra of the record that is not in the jar and brings
// a command: a distribution of that name, or one that is in the store and has it.
func (m *Machine) partWithCommand(at place.Place, j *jar.Jar, name string) (group, extra string) {
	record, err := project.ReadRecord(at.RecordFile)
	if err != nil {
		return "", ""
	}
	in, err := m.interpreterOf(context.Background(), j)
	if err != nil {
		return "", ""
	}
	parts := j.State.Parts
	for _, p := range record.Packages {
		if p.Marker.HoldsIn(in.Environment(), parts.Extras, parts.Groups) || p.Name != requirement.Normalize(name) && !m.hasCommand(p, name) {
			continue
		}
		for _, g := range record.Groups {
			if p.Marker.HoldsIn(in.Environment(), parts.Extras, append(slices.Clone(parts.Groups), g)) {
				return g, ""
			}
		}
		for _, e := range record.Extras {
			if p.Marker.HoldsIn(in.Environment(), append(slices.Clone(parts.Extras), e), parts.Groups) {
				return "", e
			}
		}
	}
	return "", ""
}

// hasCommand reports whether an entry of a record has a script of a name, as far as its
// files are in the store.
func (m *Machine) hasCommand(p project.Package, name string) bool {
	for _, f := range p.Wheels {
		if t, ok := m.Store.Tree(f.Hashes["sha256"]); ok {
			if inside, err := catalog.Unpacked(t); err == nil && slices.Contains(inside.Scripts, name) {
				return true
			}
		}
	}
	return false
}

func scripts(bin string) []string {
	entries, err := os.ReadDir(bin)
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range entries {
		if start.Find(bin, e.Name()) != "" {
			names = append(names, strings.TrimSuffix(e.Name(), ".exe"))
		}
	}
	return names
}

// inside is what a command finds around it in a jar.
func (m *Machine) inside(j *jar.Jar) start.Inside {
	in := start.Inside{Jar: j.Root, Bin: j.Path(j.Layout().Scripts()), Prompt: j.State.Prompt, SealedOff: m.SealedOff || m.Settings.SealedOff}
	if runtime.GOOS == "linux" {
		in.Libraries = j.LibraryPath()
	}
	return in
}

// KeepStart keeps what a plain run of a command in the folder of a project, or of a script that has
// a jar of its own, came to, for the next one; see package [start]. What cannot be kept is found out anew. It is decided once more
// after the marks are taken: what changed in between would otherwise be taken for what was decided on.
func (m *Machine) KeepStart(ctx context.Context, l *Launch, command []string) {
	if l.Script == "" && l.Jar != filepath.Join(m.Dir, place.JarFolder) {
		return
	}
	j, err := jar.Open(l.Jar)
	if err != nil {
		return
	}
	seen, err := m.seen(j)
	if err != nil {
		return
	}
	s := &start.Start{Dir: m.Dir, Inside: l.inside, Python: j.Python(), Seen: seen}
	if l.Script != "" {
		s.Dir, s.Script = start.ScriptPath(m.Dir, command[0]), true
		s.Add(start.Target, l.Script, project.ScriptRecord(l.Script))
	}
	text := s.Text(os.Environ())
	if path, _, _ := s.Launch(command, os.Environ()); text == "" || path != l.Path {
		return // it would not be started by that
	}
	if again, err := m.Run(ctx, "", command); err == nil && again.Path == l.Path && slices.Equal(again.Env, l.Env) && len(m.Notes) == 0 {
		_ = atomicfile.Cache(start.File(m.Folders.Cache, s.Dir), []byte(text))
	}
}

// seen is the files and folders that have a say in which jar is found in the folder, how it is
// started and whether it is trusted.
func (m *Machine) seen(j *jar.Jar) (start.Seen, error) {
	base, err := j.Base()
	s := start.Seen{Used: m.Known.File(j.ID())}
	s.Add(start.Folder, m.Dir, j.Root)
	s.Add(start.Itself, append(j.Deciding(), j.Python())...)
	s.Add(start.Target, j.Python(), base, m.Folders.Settings, settings.MachineFile())
	return s, err
}
