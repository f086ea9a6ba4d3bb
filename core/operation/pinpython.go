package operation

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/offered"
	"glassjar/core/interpreter/portable"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/target"
)

// pinPythons writes into a record which interpreter jars are made of, for each platform that
// the spec names: this machine's first, and the same release for the others, as far as an index
// of Pythons has it. What the record had stays, as long as it is of that release.
func (m *Machine) pinPythons(ctx context.Context, p *job, spec *project.Spec, r, have *project.Record) error {
	if !spec.Tool.PinPython {
		return nil
	}
	platforms := spec.Tool.Targets
	if len(platforms) == 0 {
		platforms = target.Platforms()
	}
	version, free := p.python.Said.Version, p.python.Said.FreeThreaded
	if p.target != nil { // no Python is here: that of the record stays
		version = ""
	}
	here := target.Of(p.python).Platform()
	if have != nil {
		for _, one := range have.Pythons {
			if n, ok := portable.Parse(one.File); version == "" || ok && one.Version == version && n.FreeThreaded == free {
				r.Pythons = append(r.Pythons, one)
			}
		}
	}
	pinned := func(platform string) bool {
		return slices.ContainsFunc(r.Pythons, func(one project.PinnedPython) bool { return one.For == platform })
	}
	if own, ok := m.pythons().Holder(p.python.Path); ok {
		r.Pythons = slices.DeleteFunc(r.Pythons, func(one project.PinnedPython) bool { return one.For == here && one.SHA256 != own.SHA256 })
		if !pinned(here) {
			r.Pythons = append(r.Pythons, m.pin(p.place, here, own.Version, own.File, own.From, own.Size, own.SHA256))
		}
	}
	if version != "" && slices.ContainsFunc(platforms, func(platform string) bool { return !pinned(platform) }) {
		err := m.pinOffered(ctx, p, spec, r, platforms, pinned)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil { // packages do not wait for it: another record has it
			m.note(PythonsNotSeen, err.Error())
		}
	}
	slices.SortFunc(r.Pythons, func(a, b project.PinnedPython) int { return strings.Compare(a.For, b.For) })
	if p.target == nil && !pinned(here) {
		m.note(PythonNotPinned, p.python.Title())
	}
	return nil
}

// pinOffered adds the files of other platforms that indexes have of a release.
func (m *Machine) pinOffered(ctx context.Context, p *job, spec *project.Spec, r *project.Record, platforms []string, pinned func(string) bool) error {
	for _, at := range m.pythonPlaces(spec) {
		list, err := offered.Look(ctx, m.Client, at, thisMachine())
		if err != nil {
			return err
		}
		for _, platform := range platforms {
			os, arch, err := target.Parse(platform)
			if err != nil || pinned(platform) {
				continue // a platform that is none was refused before
			}
			system := target.Target{OS: os, Arch: arch}.System()
			for _, o := range list {
				if o.Name.Version.String() == p.python.Said.Version && o.Name.Implementation == p.python.Said.Implementation && o.FreeThreaded == p.python.Said.FreeThreaded &&
					o.SHA256 != "" && o.Name.Misfit(system, 1) == "" {
					r.Pythons = append(r.Pythons, m.pin(p.place, platform, o.Name.Version.String(), o.File, o.From(), o.Size, o.SHA256))
					break
				}
			}
		}
	}
	return nil
}

// pin is an entry of a record: a file of the project by its path, any other by its address.
func (m *Machine) pin(at place.Place, platform, version, file, from string, size int64, sum string) project.PinnedPython {
	one := project.PinnedPython{For: platform, Version: version, File: file, URL: from, Size: max(size, 0), SHA256: sum}
	if !filepath.IsAbs(from) {
		return one
	}
	one.URL = metadata.FileURL(from)
	if rel, err := filepath.Rel(at.Project, from); at.Project != "" && err == nil && filepath.IsLocal(rel) {
		one.URL, one.Path = "", filepath.ToSlash(rel)
	}
	return one
}

// PythonNotHereError says that a record pins a Python that is not here, and that nobody said
// may be fetched.
type PythonNotHereError struct {
	Record string
	Offer  offered.Offer
}

func (e *PythonNotHereError) Error() string {
	return "the record pins " + e.Offer.Title() + ", which is not here"
}

// pinnedPython is the interpreter that a record pins for this machine, fetched if need be: the
// user is asked, since it is started when it comes. None is no error. bring, if set, puts the
// file into the store.
func (m *Machine) pinnedPython(ctx context.Context, record *project.Record, bring func(project.PinnedPython) error) (*interpreter.Interpreter, error) {
	here := thisMachine()
	for _, one := range record.Pythons {
		n, ok := portable.Parse(one.File)
		if !ok || n.Misfit(here.Platform, here.Level) != "" {
			continue
		}
		got, ok := m.pythons().Of(one.SHA256)
		if !ok {
			var err error
			if got, err = m.fetchPinned(ctx, record, pinnedOffer(record, one), one, bring); err != nil {
				return nil, err
			}
		}
		in, err := m.probe(ctx, m.pythons().Path(got))
		return &in, err
	}
	return nil, nil
}

// pinnedOffer is the file of a pinned interpreter as something that can be had.
func pinnedOffer(record *project.Record, one project.PinnedPython) offered.Offer {
	n, _ := portable.Parse(one.File) // one that cannot be understood is for no machine
	o := offered.Offer{Name: n, URL: one.URL, SHA256: one.SHA256, Size: one.Size, Index: "the record"}
	if one.Path != "" {
		o.Path = filepath.Join(filepath.Dir(record.File), filepath.FromSlash(one.Path))
	} else if file, ok := metadata.PathOf(one.URL); ok {
		o.Path = file
	}
	return o
}

func (m *Machine) fetchPinned(ctx context.Context, record *project.Record, o offered.Offer, one project.PinnedPython, bring func(project.PinnedPython) error) (fetched.Python, error) {
	yes, err := m.Yes, error(nil)
	if !yes && m.AskPython != nil {
		yes, err = m.AskPython(o)
	}
	if err != nil {
		return fetched.Python{}, err
	}
	if !yes {
		return fetched.Python{}, &PythonNotHereError{record.File, o}
	}
	if bring != nil {
		if err := bring(one); err != nil {
			return fetched.Python{}, err
		}
	}
	got, err := m.fetchOffer(ctx, o, "")
	if err != nil {
		return fetched.Python{}, err
	}
	return got.Python, nil
}

// moveTo has a jar that is there linked to another interpreter: that which a record pins or,
// where its own was fetched, the newest patch release that was fetched since. One of another
// minor version cannot be had that way.
func (m *Machine) moveTo(ctx context.Context, p *job, j *jar.Jar, own interpreter.Interpreter) (interpreter.Interpreter, error) {
	to := own
	if p.pinned != nil {
		to = *p.pinned
	} else if newest, ok := m.newestLike(own); ok {
		in, err := m.probe(ctx, newest)
		if err != nil {
			return own, err
		}
		to = in
	}
	if to.Path == own.Path || place.Real(to.Path) == place.Real(own.Path) {
		return own, nil
	}
	switch {
	case standsFor(j, to):
	case p.pinned != nil:
		return own, usage(OtherThanPinned, own.Title(), p.place.Root)
	default:
		return own, nil
	}
	if p.Moves = own.Title(); p.Moves == to.Title() { // it is another one all the same
		p.Moves += ", " + own.Path
	}
	return to, nil
}

// newestLike is the newest fetched release of the minor version that a fetched interpreter has.
func (m *Machine) newestLike(own interpreter.Interpreter) (string, bool) {
	all := m.pythons()
	if _, ok := all.Holder(own.Path); !ok {
		return "", false
	}
	list, err := all.All()
	if err != nil {
		return "", false
	}
	for _, f := range list {
		n, ok := portable.Parse(f.File)
		if ok && f.Implementation == own.Said.Implementation && n.FreeThreaded == own.Said.FreeThreaded && strings.HasPrefix(f.Version, own.Minor()+".") && !n.Version.Less(own.Version()) {
			if f.Version == own.Said.Version {
				return own.Path, true // another build of the same is no newer release
			}
			return all.Path(f), true
		}
	}
	return "", false
}

// bringPinned has the file of a pinned interpreter in the store, whole, and gives its path.
func (m *Machine) bringPinned(ctx context.Context, record *project.Record, one project.PinnedPython) (string, error) {
	o := pinnedOffer(record, one)
	file, _, err := m.bringPython(ctx, o, one.SHA256)
	if errors.Is(err, os.ErrNotExist) {
		return "", usage(NoFile, project.Shorten(m.Dir, o.Path))
	}
	return file, err
}
