package operation

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Launch is a command ready to be started inside a jar.
type Launch struct {
	Jar string
	// Path is the program, Args its arguments with the name first, Env the whole
	// environment.
	Path string
	Args []string
	Env  []string
	// Line, if set, is the whole command line in place of Args, on Windows.
	Line string
}

// NoCommandError says that a command is neither in the jar nor on PATH.
type NoCommandError struct {
	Name, Jar string
	Near      []string
	// BroughtBy are distributions of the index that have such a script.
	BroughtBy []string
	// Group or Extra is a part of the spec that brings it and is not in the jar.
	Group, Extra string
}

func (e *NoCommandError) Error() string { return "there is no command " + e.Name }

// Run prepares a command: the jar's own programs come first, a Python file is
// run by the jar's interpreter.
func (m *Machine) Run(ctx context.Context, ref string, command []string) (*Launch, error) {
	at, err := m.Places().Locate(ref, true)
	if err != nil {
		return nil, err
	}
	j, err := m.openToUse(ctx, at)
	if err != nil {
		return nil, err
	}
	if _, err := j.Base(); err != nil {
		return nil, err
	}
	bin := j.Path(j.Layout().Scripts())
	l := &Launch{Jar: j.Root, Env: m.insideEnvironment(j), Args: append([]string(nil), command...)}
	name := command[0]
	if strings.HasSuffix(name, ".py") {
		file := m.absolute(name)
		if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() {
			l.Path, l.Args = j.Python(), append([]string{"python"}, command...)
			return l, nil
		}
	}
	if l.Path = find(bin, name); l.Path != "" {
		return l, nil
	}
	if l.Path, err = exec.LookPath(name); err != nil {
		return nil, m.noCommand(ctx, at, j, name)
	}
	if abs, err := filepath.Abs(l.Path); err == nil {
		l.Path = abs
	}
	return l, nil
}

// noCommand says what is near, and which distributions would bring the command.
func (m *Machine) noCommand(ctx context.Context, at place.Place, j *jar.Jar, name string) error {
	bin := j.Path(j.Layout().Scripts())
	e := &NoCommandError{Name: name, Jar: j.Root, Near: near.Names(name, scripts(bin))}
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

// find is the path of a program in a folder, or empty. A name with a folder in
// it is not looked for.
func find(bin, name string) string {
	if strings.ContainsAny(name, `/\`) {
		return ""
	}
	endings := []string{""}
	if runtime.GOOS == "windows" {
		endings = []string{".exe", ".bat", ".cmd", ""}
	}
	for _, ending := range endings {
		file := filepath.Join(bin, name+ending)
		if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() && (runtime.GOOS == "windows" || info.Mode()&0o111 != 0) {
			return file
		}
	}
	return ""
}

func scripts(bin string) []string {
	entries, err := os.ReadDir(bin)
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range entries {
		if find(bin, e.Name()) != "" {
			names = append(names, strings.TrimSuffix(e.Name(), ".exe"))
		}
	}
	return names
}

// insideEnvironment is the environment as activation would make it. Sealed off,
// it also shuts out what Python takes from elsewhere: PYTHONPATH, and the user's
// own packages.
func (m *Machine) insideEnvironment(j *jar.Jar) []string {
	bin := j.Path(j.Layout().Scripts())
	var env []string
	sealed := m.SealedOff || m.Settings.SealedOff
	if sealed {
		env = append(env, "PYTHONNOUSERSITE=1")
	}
	path := ""
	for _, v := range os.Environ() {
		name, value, _ := strings.Cut(v, "=")
		switch strings.ToUpper(name) {
		case "PATH":
			path = value
		case "VIRTUAL_ENV", "VIRTUAL_ENV_PROMPT", "PYTHONHOME":
		case "PYTHONPATH", "PYTHONNOUSERSITE", "PYTHONUSERBASE", "PYTHONSTARTUP":
			if !sealed {
				env = append(env, v)
			}
		default:
			env = append(env, v)
		}
	}
	if path != "" {
		path = string(filepath.ListSeparator) + path
	}
	if more := j.LibraryPath(); len(more) > 0 && runtime.GOOS == "linux" {
		env = withLibraries(env, more)
	}
	return append(env, "PATH="+bin+path, "VIRTUAL_ENV="+j.Root, "VIRTUAL_ENV_PROMPT="+j.State.Prompt)
}

// withLibraries has the system's loader look in further folders, after those of the shell.
func withLibraries(env, more []string) []string {
	const name = "LD_LIBRARY_PATH="
	for i, v := range env {
		if rest, ok := strings.CutPrefix(v, name); ok && rest != "" {
			env[i] = name + rest + ":" + strings.Join(more, ":")
			return env
		}
	}
	return append(env, name+strings.Join(more, ":"))
}
