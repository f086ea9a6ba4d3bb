package operation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"time"

	"glassjar/core/internal/keptmap"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/start"
	"glassjar/core/version"
)

// A script that says what it needs has a jar in the user's own data folder, named by all that
// decides what is in it: scripts that ask for the same share one, and what a script asks for
// anew has another.

// scriptJar is a script with the jar that it is run in, there or not.
type scriptJar struct {
	*project.Script
	// spec is what it asks for, as the jar keeps it.
	spec *project.Spec
	// text and record are the record beside it; nil where there is none.
	text   []byte
	record *project.Record
	// own tells that the record is this command's work, which nobody can have signed yet.
	own   bool
	place place.Place
	// keep are versions that its jar is to have where they fit.
	keep map[string]version.Version
}

// scriptAt reads a script and finds its jar. A record beside it that is not of what it asks for is
// an [*OutOfStepError].
func (m *Machine) scriptAt(file string) (*scriptJar, error) {
	script, err := project.ReadScript(file)
	if err != nil {
		return nil, err
	}
	s, err := m.withRecord(script)
	if err != nil || s.record == nil {
		return s, err
	}
	if added, dropped := drift(s.spec, s.record); len(added)+len(dropped) > 0 {
		return nil, &OutOfStepError{Record: project.ScriptRecord(file), Script: file, Added: added, Dropped: dropped}
	}
	return s, nil
}

// withRecord is a script with the record beside it, if there is one, whatever that was made for.
func (m *Machine) withRecord(script *project.Script) (*scriptJar, error) {
	text, record, err := project.ReadRecordText(project.ScriptRecord(script.File))
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return nil, err
	}
	return m.jarOf(script, text, record)
}

// installed is what the jar of a script holds; nothing where there is none yet.
func (s *scriptJar) installed() ([]jar.Installed, error) {
	if !s.place.Exists() {
		return nil, nil
	}
	j, err := jar.Open(s.place.Root)
	if err != nil {
		return nil, err
	}
	return j.Installed()
}

// jarOf is the jar of a script with a record, which may be nil.
func (m *Machine) jarOf(script *project.Script, text []byte, record *project.Record) (*scriptJar, error) {
	spec, err := project.ParseSpec(script.File, script.Spec)
	if err != nil {
		return nil, err
	}
	said, err := json.Marshal([]any{project.Asks(sortedAsked(script.Asked)), spec.RequiresPython.String(), spec.Tool})
	if err != nil {
		return nil, err
	}
	h := sha256.New()
	for _, part := range [][]byte{[]byte("script 1"), said, text} {
		h.Write([]byte(strconv.Itoa(len(part)) + ":"))
		h.Write(part)
	}
	at := m.Places().At(filepath.Join(m.Folders.Scripts, hex.EncodeToString(h.Sum(nil)[:8])), place.Named)
	at.Title = project.ScriptName(script.File)
	m.titles[at.Root] = at.Title
	spec.File, spec.Asked, spec.Script = at.SpecFile, script.Asked, script.File
	return &scriptJar{Script: script, spec: spec, text: text, record: record, place: at}, nil
}

// scriptRoot is the root of the jar of a file that is a script, there or not; empty for others.
func (m *Machine) scriptRoot(file string) (string, error) {
	if !project.HasBlock(file) {
		return "", nil
	}
	s, err := m.scriptAt(file)
	if err != nil {
		return "", err
	}
	return s.place.Root, nil
}

// ScriptNamed is the path of the script that a reference to a jar names: its file stands for its
// jar. It is empty for other references, among them the name of a jar on the shelf.
func (m *Machine) ScriptNamed(ref string) string {
	if filepath.Base(ref) == ref && jar.Exists(filepath.Join(m.Folders.Shelf, ref)) {
		return ""
	}
	if file := m.absolute(ref); ref != "" && project.HasBlock(file) {
		return file
	}
	return ""
}

// isScript reports whether a command is a script with a block of its own: a file that ends in
// ".py", or one that is named by a path.
func (m *Machine) isScript(name string) bool {
	return start.MayHaveBlock(name) && project.HasBlock(m.absolute(name))
}

// runScript prepares a script to be run in its own jar, which is made where it is missing.
func (m *Machine) runScript(ctx context.Context, command []string) (*Launch, error) {
	file := m.absolute(command[0])
	s, err := m.scriptAt(file)
	if err != nil {
		return nil, err
	}
	if !s.place.Exists() && m.NoHints {
		return nil, m.Places().NoJar(&place.NoJarError{Root: s.place.Root})
	}
	made, err := m.makeScriptJar(ctx, s)
	if err != nil {
		return nil, err
	}
	if made != nil {
		m.note(MadeForScript, m.relative(s.File), made.Plan.Python)
	}
	m.noteScript(file, s.place.Root)
	j, err := m.readyJar(ctx, s.place)
	if err != nil {
		return nil, err
	}
	inside := m.inside(j)
	return &Launch{Jar: j.Root, Script: file, Path: j.Python(), Args: append([]string{"python"}, command...), Env: inside.Environment(os.Environ()), inside: inside}, nil
}

// makeScriptJar makes the jar of a script, from its record where it has one; nil where it is there.
func (m *Machine) makeScriptJar(ctx context.Context, s *scriptJar) (*Outcome, error) {
	if s.place.Exists() {
		return nil, nil
	}
	release, err := m.hold(ctx, s.place)
	if err != nil {
		return nil, err
	}
	defer release()
	if s.place.Exists() { // another command was faster
		return nil, nil
	}
	goOn := func(*plan.Plan) (bool, error) { return true, nil }
	if s.record != nil {
		opt := RecreateOptions{adopt: s.text, adoptSpec: s.spec.Text}
		file := project.ScriptRecord(s.File)
		if !s.own {
			opt.signed, err = m.checkSigned("", m.relative(file), s.text, func() ([][]byte, error) { return signatureOf(file) })
		}
		if err != nil {
			return nil, err
		}
		return m.fromRecord(ctx, s.place, s.spec, s.record, opt, goOn)
	}
	p, err := m.planScript(ctx, s, s.place, "", resolveOptions{keep: s.keep})
	if err != nil {
		return nil, err
	}
	return m.makeAndCarryOut(ctx, p, goOn)
}

// planScript solves what a script asks for, and plans its jar, and its record where at says. It is
// compared with the jar at a place, if one is there.
func (m *Machine) planScript(ctx context.Context, s *scriptJar, at place.Place, before string, opt resolveOptions) (*job, error) {
	p := newJob(at)
	p.Create, p.seeSystem = true, s.spec.Tool.SeeSystem
	var installed []jar.Installed
	var err error
	if jar.Exists(before) {
		if p.jar, err = m.open(m.Places().At(before, place.Named)); err != nil {
			return nil, err
		}
		if installed, err = p.jar.Installed(); err != nil {
			return nil, err
		}
		p.Create, p.seeSystem = false, p.jar.State.SeeSystem
	}
	if p.python, _, _, err = m.needPython(ctx, "", s.spec); err != nil {
		var none *NoPythonError
		if errors.As(err, &none) {
			none.Script, none.From = s.File, "requires-python in "+m.relative(s.File)
		}
		return nil, err
	}
	p.Python = p.python.Title()
	return p, m.planFor(ctx, p, installed, &project.Spec{File: s.spec.File}, s.spec, opt)
}

// noteScript notes which jar a script is run in.
func (m *Machine) noteScript(file, root string) {
	if m.scriptUsers()[file] != root {
		_ = keptmap.Keep(m.scriptUsersFile(), map[string]string{file: root}, func(file, _ string) bool { return !fileExists(file) })
	}
}

// scriptUsers are the scripts that were run here, each with the root of its jar.
func (m *Machine) scriptUsers() map[string]string { return keptmap.Read[string](m.scriptUsersFile()) }

func (m *Machine) scriptUsersFile() string { return filepath.Join(m.Folders.State, "scripts.json") }

// scriptsOf are the scripts that are run in a jar, by path.
func (m *Machine) scriptsOf(root string) []string {
	out := []string{}
	for file, jar := range m.scriptUsers() {
		if jar == root && fileExists(file) {
			out = append(out, file)
		}
	}
	slices.Sort(out)
	return out
}

// scriptsUnused is how long the jar of a script is kept that is not run: it can be made anew.
const scriptsUnused = 30 * 24 * time.Hour

// tidyScripts removes the jars of scripts that are gone, ask for something else by now, or were
// not run for long, and notes the roots of those that go.
func (m *Machine) tidyScripts(ctx context.Context, out *Tidied, going map[string]bool, planOnly bool) error {
	known, err := m.knownJars()
	if err != nil {
		return err
	}
	for _, k := range known {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if !m.ofScripts(k.Root) || len(m.scriptsOf(k.Root)) > 0 && m.now().Sub(k.Used) < scriptsUnused {
			continue
		}
		size, err := m.tidyScript(ctx, m.Places().At(k.Root, place.Named), k.ID, planOnly)
		if err != nil {
			return err
		}
		out.Scripts, out.JarBytes, going[k.Root] = append(out.Scripts, k.Root), out.JarBytes+size, true
	}
	return nil
}

// ofScripts reports whether a jar is of scripts.
func (m *Machine) ofScripts(root string) bool { return filepath.Dir(root) == m.Folders.Scripts }

// tidyScript removes the jar of scripts at a place, and gives how much that frees. The store is not
// held yet: whoever makes such a jar holds that after it.
func (m *Machine) tidyScript(ctx context.Context, p place.Place, id string, planOnly bool) (frees int64, err error) {
	if j, err := jar.Open(p.Root); err == nil {
		all, shared := j.Size()
		frees = all - shared
	}
	if planOnly {
		return frees, nil
	}
	release, err := m.holdOrPlace(ctx, p)
	if err != nil {
		return 0, err
	}
	defer release()
	if err := m.discardForGood(p.Root); err != nil {
		return 0, err
	}
	return frees, m.Known.Forget(id)
}
