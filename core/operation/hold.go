package operation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/place"
	"glassjar/core/project"
)

// open opens the jar of a place. The error is a [*NoJarError] if there is
// none.
func (m *Machine) open(p place.Place) (*jar.Jar, error) {
	if !p.Exists() {
		_, err := os.Stat(p.RecordFile)
		return nil, m.Places().NoJar(&place.NoJarError{Root: p.Root, Record: err == nil})
	}
	if held := m.holding[p.Root]; held != nil {
		return held.Again()
	}
	j, err := jar.Open(p.Root)
	if err == nil {
		m.noteUse(j)
	}
	return j, err
}

// openToUse opens a jar for what is about to be run in it: a change that another
// process makes is waited for, and one that was cut off put right. A jar that is not
// trusted is a [*place.NotTrustedError].
func (m *Machine) openToUse(ctx context.Context, p place.Place) (*jar.Jar, error) {
	if err := m.mayUse(ctx, p.Root); err != nil {
		return nil, err
	}
	if p.Exists() && jar.PhaseOf(p.Root) != jar.Resting {
		release, err := m.hold(ctx, p)
		if err != nil {
			return nil, err
		}
		release()
	}
	if err := jar.Usable(p.Root); err != nil {
		return nil, err
	}
	return m.open(p)
}

// watchPython notes that the interpreter was upgraded in place since the jar was
// made. It is asked only when its file has changed.
func (m *Machine) watchPython(j *jar.Jar) {
	base, err := j.Base()
	if err != nil {
		return // whoever needs the interpreter says so
	}
	mark, changed := j.BaseChanged(base)
	if !changed {
		return
	}
	in, err := m.probe(context.Background(), base)
	switch {
	case err != nil:
	case in.Said.Version != j.State.Python:
		m.note(PythonUpgraded, in.Said.Version, j.State.Python)
	default:
		j.NoteBase(mark)
	}
}

// BusyError says that another process is changing a jar, or uses the store.
type BusyError struct{ Jar string }

func (e *BusyError) Error() string { return "another command is at work on " + e.Jar }

// worthTelling is how long a command waits before it says so: the compiler that
// runs in the background gives way sooner.
const worthTelling = 300 * time.Millisecond

// lockMode is how this command waits for something, which what names.
func (m *Machine) lockMode(what string) lock.Mode {
	return lock.Mode{Unlocked: m.Settings.WithoutLocks, Waits: func(waited time.Duration) error {
		if m.NoWait {
			return &BusyError{what}
		}
		m.waited = true
		if m.Waits != nil && !m.told && waited >= worthTelling {
			m.told = true
			m.Waits(what)
		}
		return nil
	}}
}

// hold keeps other processes from changing the jar of a place, its spec and its
// record until release is called, and puts right what a killed one left. Spec and
// record are held by project, since several jars may share them; so is the place of
// a jar that is not there yet. What was read before belongs to the past: the
// settings are read again after a wait, and whatever else counts is read after this. A
// jar that is not trusted is a [*place.NotTrustedError], one that is a link to another
// project's a [*place.ElsewhereError].
func (m *Machine) hold(ctx context.Context, p place.Place) (release func(), err error) {
	waited := m.waited
	unlock, err := m.holdProject(ctx, p.Key())
	if err != nil {
		return nil, err
	}
	let, err := m.holdJar(ctx, p)
	if err == nil && m.waited && !waited {
		if err = m.readSettings(); err != nil {
			let()
		}
	}
	if err != nil {
		unlock()
		return nil, err
	}
	return func() { let(); unlock() }, nil
}

// holdJar takes the lock of a jar, if it is there.
func (m *Machine) holdJar(ctx context.Context, p place.Place) (release func(), err error) {
	if !p.Exists() || m.holding[p.Root] != nil {
		return func() {}, nil
	}
	if err := m.Places().OwnPlace(p); err != nil {
		return nil, err
	}
	if err := m.mayUse(ctx, p.Root); err != nil {
		return nil, err
	}
	j, unlock, err := jar.Hold(ctx, p.Root, m.outside(p), m.lockMode(p.Root))
	if err != nil {
		return nil, err
	}
	m.tellRecovery(j.Recovered)
	m.holding[p.Root] = j
	m.noteUse(j)
	return func() { delete(m.holding, p.Root); unlock() }, nil
}

func (m *Machine) tellRecovery(r jar.Recovery) {
	switch {
	case r.Undone:
		m.note(Undone)
	case r.Completed:
		m.note(Completed)
	}
	for _, file := range r.Left {
		m.note(ChangedSince, m.relative(file))
	}
}

// holdProject keeps other processes of this user from the spec and the record of a
// folder, whatever name it is called by.
func (m *Machine) holdProject(ctx context.Context, dir string) (release func(), err error) {
	key := place.Real(dir)
	if _, err := os.Lstat(key); err != nil { // not there yet; its parent may be a link
		key = filepath.Join(place.Real(filepath.Dir(dir)), filepath.Base(dir))
	}
	if m.projects[key] {
		return func() {}, nil
	}
	sum := sha256.Sum256([]byte(key))
	held, err := lock.Take(ctx, filepath.Join(m.Folders.State, "locks", hex.EncodeToString(sum[:12])), m.lockMode(dir))
	if err != nil {
		return nil, err
	}
	m.projects[key] = true
	return func() { delete(m.projects, key); held.Release() }, nil
}

// holdProjects holds several, in an order that is the same for all processes.
func (m *Machine) holdProjects(ctx context.Context, places ...place.Place) (release func(), err error) {
	dirs := []string{}
	for _, p := range places {
		dirs = append(dirs, place.Real(p.Key()))
	}
	slices.Sort(dirs)
	var all []func()
	release = func() {
		for _, r := range all {
			r()
		}
	}
	for _, dir := range slices.Compact(dirs) {
		one, err := m.holdProject(ctx, dir)
		if err != nil {
			release()
			return nil, err
		}
		all = append(all, one)
	}
	return release, nil
}

// outside are the files of a project that change with a jar.
func (m *Machine) outside(p place.Place) jar.Outside {
	if p.Project == "" {
		return jar.Outside{Temporary: m.Making.Begin}
	}
	return jar.Outside{Spec: p.SpecFile, Record: p.RecordFile, Within: repositoryOf(p.Project), Temporary: m.Making.Begin}
}

// repositoryOf is the repository that a folder is in, or the folder itself where
// there is none: how far a link in place of a spec may lead.
func repositoryOf(dir string) string {
	for at := dir; ; at = filepath.Dir(at) {
		if _, err := os.Lstat(filepath.Join(at, ".git")); err == nil {
			return at
		}
		if at == filepath.Dir(at) {
			return dir
		}
	}
}

// writeIfNew writes a file of a project, if it is not as it should be already, and
// reports whether it was not. Its folder is made.
func (m *Machine) writeIfNew(file string, data []byte) (bool, error) {
	if have, err := os.ReadFile(file); err == nil && string(have) == string(data) {
		return false, nil
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return false, err
	}
	return true, atomicfile.Write(file, data, atomicfile.Options{Within: repositoryOf(filepath.Dir(file)), LineEnds: true, Temporary: m.Making.Begin})
}

// begin is how a command that writes begins: it finds the jar, keeps others
// from changing it until release is called, and reads the spec.
func (m *Machine) begin(ctx context.Context, ref string) (at place.Place, spec *project.Spec, release func(), err error) {
	if at, release, err = m.beginAt(ctx, ref); err != nil {
		return at, nil, nil, err
	}
	if spec, err = readSpec(at); err != nil {
		release()
	}
	return at, spec, release, err
}

// beginAt finds a jar and takes its lock.
func (m *Machine) beginAt(ctx context.Context, ref string) (at place.Place, release func(), err error) {
	if at, err = m.Places().Locate(ref, true); err == nil && m.ofScripts(at.Root) {
		script := m.ScriptNamed(ref)
		if of := m.scriptsOf(at.Root); script == "" && len(of) > 0 {
			script = of[0]
		}
		return at, nil, usage(JarOfScript, m.relative(at.Root), m.relative(script))
	}
	if err == nil {
		release, err = m.hold(ctx, at)
	}
	return at, release, err
}

// held is a jar that a command changes, with what is in it.
type held struct {
	place     place.Place
	spec      *project.Spec
	jar       *jar.Jar
	installed []jar.Installed
	release   func()
}

// beginFilled is [Machine.begin] for a command that changes what is in a jar: it
// also opens the jar and lists that.
func (m *Machine) beginFilled(ctx context.Context, ref string) (h held, err error) {
	if h.place, h.spec, h.release, err = m.begin(ctx, ref); err != nil {
		return h, err
	}
	if h.jar, err = m.open(h.place); err == nil {
		h.installed, err = h.jar.Installed()
	}
	if err != nil {
		h.release()
	}
	return h, err
}

// look is how a command that only looks begins: it finds and opens the jar, and
// lists what is in it. It is called inside of [steady].
func (m *Machine) look(ref string) (place.Place, *jar.Jar, []jar.Installed, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return at, nil, nil, err
	}
	j, err := m.open(at)
	if err != nil {
		return at, nil, nil, err
	}
	installed, err := j.Installed()
	return at, j, installed, err
}

// looks is how often a jar is looked at that is changed meanwhile, and changeLimit how
// long a change is waited for.
const (
	looks       = 3
	changeLimit = time.Minute
)

// steady has a jar, and what belongs to it, read by a command that only looks, and
// read again where it was changed meanwhile: such a command takes no lock. The error
// is a [*jar.PendingError] where a change was cut off, which only a command that
// writes puts right, a [*jar.ChangingError] where the jar is changed without end, or
// that of read.
func steady[T any](ctx context.Context, m *Machine, ref string, read func() (T, error)) (out T, err error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil || !at.Exists() || m.holding[at.Root] != nil {
		return read() // which says what is wrong
	}
	return steadyAt(ctx, at.Root, read)
}

func steadyAt[T any](ctx context.Context, root string, read func() (T, error)) (out T, err error) {
	for range looks {
		if err = atRest(ctx, root); err != nil {
			return out, err
		}
		before, err := jar.Generation(root)
		if err != nil {
			return out, err
		}
		out, err = read()
		if ctx.Err() != nil {
			return out, errors.Join(err, ctx.Err())
		}
		after, err2 := jar.Generation(root)
		if err2 == nil && after == before && jar.PhaseOf(root) == jar.Resting {
			return out, err
		}
	}
	return out, &jar.ChangingError{Jar: root}
}

// atRest waits until a jar is not being changed.
func atRest(ctx context.Context, root string) error {
	for deadline := time.Now().Add(changeLimit); ; {
		switch jar.PhaseOf(root) {
		case jar.Resting:
			return nil
		case jar.CutOff:
			return &jar.PendingError{Jar: root}
		}
		if time.Now().After(deadline) {
			return &jar.ChangingError{Jar: root}
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(10 * time.Millisecond):
		}
	}
}
