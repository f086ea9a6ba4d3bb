package operation

import (
	"context"
	"errors"
	"os"

	"glassjar/core/jar"
	"glassjar/core/place"
)

// Trusted tells of a jar that is trusted from now on, or no longer.
type Trusted struct {
	Jar  string
	Name string
	// Leads is the program that the jar's interpreter is, Packages how many are in it:
	// what is trusted.
	Leads    string
	Packages int
	Trusted  bool
}

// Trust notes that a jar is trusted as it stands, whoever made it; withdraw takes that
// back. Nothing of it is run.
func (m *Machine) Trust(ctx context.Context, ref string, withdraw bool) (*Trusted, error) {
	at, err := m.Places().Locate(ref, true)
	if err != nil {
		return nil, err
	}
	if err := m.Places().OwnPlace(at); err != nil {
		return nil, err
	}
	release, err := m.holdProject(ctx, at.Key())
	if err != nil {
		return nil, err
	}
	defer release()
	if !at.Exists() {
		return nil, m.Places().NoJar(&place.NoJarError{Root: at.Root, Record: fileExists(at.RecordFile)})
	}
	j, err := jar.Open(place.Real(at.Root))
	if err != nil {
		return nil, err
	}
	out := &Trusted{Jar: at.Root, Name: at.Prompt(), Trusted: !withdraw}
	if out.Leads, err = os.Readlink(j.Python()); err != nil {
		out.Leads = j.Python()
	}
	if installed, err := j.Installed(); err == nil {
		out.Packages = len(installed)
	}
	if withdraw {
		return out, m.Known.Forget(j.ID())
	}
	return out, m.Known.Trust(j)
}

// mayUse refuses a jar that is not trusted, unless the user is there and trusts it now.
func (m *Machine) mayUse(ctx context.Context, root string) error {
	err := m.Places().MayUse(root)
	if err == nil || m.AskTrust == nil {
		return err
	}
	yes, failed := m.AskTrust(root)
	if failed != nil {
		return failed
	}
	if !yes {
		return err
	}
	_, err = m.Trust(ctx, root, false)
	return err
}

// noteUse notes that a jar is used, and looks whether its interpreter was upgraded. A jar
// that is not trusted is left alone, and the user is told.
func (m *Machine) noteUse(j *jar.Jar) {
	if !m.Places().MayBeUsed(j.Root) {
		remark := NotTrusted
		if !fileExists(m.Places().At(j.Root, place.Named).RecordFile) {
			remark = NotTrustedAlone
		}
		m.note(remark, m.relative(j.Root))
		return
	}
	if m.Known.See(j) {
		m.lending().See(j)
		m.kernels().See(j)
	}
	m.watchPython(j)
}

// expectAt notes a jar that is about to get its place at root as one that is trusted.
func (m *Machine) expectAt(root string) func(*jar.Jar) error {
	return func(j *jar.Jar) error { return m.Known.Expect(j, root) }
}

// changeLooks notes what a change does to the marks by which a jar is known again, so
// that it stays trusted whenever the change is cut off; done is called after it.
func (m *Machine) changeLooks(p *job) (done func() error, err error) {
	further := p.jar.LooksAfter(p.structure)
	if p.jar.Prepared() || len(further) == 0 || !m.Known.Trusted(place.Real(p.jar.Root)) {
		return func() error { return nil }, nil
	}
	return func() error { return m.Known.Trust(p.jar) }, m.Known.Trust(p.jar, further...)
}

// holdOrPlace is [Machine.hold], but of a jar that is not trusted only the place is
// held: nothing in it is changed, and so nobody is asked.
func (m *Machine) holdOrPlace(ctx context.Context, p place.Place) (release func(), err error) {
	ask := m.AskTrust
	m.AskTrust = nil
	defer func() { m.AskTrust = ask }()
	release, err = m.hold(ctx, p)
	var strange *place.NotTrustedError
	if errors.As(err, &strange) {
		return m.holdProject(ctx, p.Key())
	}
	return release, err
}

// commit gives a jar that was made beside it its place. What stands there and is spoiled, or not
// trusted, is put away as by discard, and comes back where that fails.
func (m *Machine) commit(ctx context.Context, p *job) error {
	back := func() error { return nil }
	if _, err := os.Lstat(p.place.Root); p.instead && err == nil {
		var err error
		if back, err = m.moveDiscarded(p.place, m.now()); err != nil {
			return err
		}
	}
	if err := p.jar.Commit(ctx, p.place.Root); err != nil {
		return errors.Join(err, back())
	}
	if p.once {
		return nil
	}
	return m.Known.Trust(p.jar)
}
