// Package operation is what each command does, from options to a result. It
// prints nothing; how far long work has come is told to [Machine.Report].
//
// A change of what is in a jar goes one way, whichever command asks for it: the
// roots are solved ([Machine.solve]), compared with the jar to a [Plan], shown,
// fetched and verified, and applied to jar, spec and record together.
package operation

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/building"
	"glassjar/core/catalog"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/interpreter/offered"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/requirement"
	"glassjar/core/settings"
	"glassjar/core/shelf"
	"glassjar/core/store"
)

// Machine is where operations run: its folders, the user's settings, and the
// environment of the process.
type Machine struct {
	Folders  settings.Places
	Settings settings.Settings
	// Dir is the folder in which the user stands, absolute.
	Dir string
	// Active is the folder that VIRTUAL_ENV names, or empty.
	Active string
	Client *fetch.Client
	Store  *store.Store
	Cache  *interpreter.Cache
	// Known is the list of all jars of this machine.
	Known shelf.List
	// Making notes what is being made, so that what a kill leaves is removed.
	Making shelf.Making
	// Discarded is the list of discarded jars that can be brought back.
	Discarded shelf.DiscardedList
	// Report, if set, is told how far work has come. Several goroutines call it.
	Report progress.Sink
	// Notes collects remarks for the user, each once.
	Notes []Note

	// NoWait makes a jar that another process is changing an error, a [*BusyError];
	// else Waits, if set, is told before waiting begins.
	NoWait bool
	Waits  func(jar string)
	// Command is what was typed, for the history; Clock tells the time, if set.
	Command string
	Clock   func() time.Time
	// CompileLater, if set, has [Machine.CompileJar] done by another process that
	// nobody waits for.
	CompileLater func(jar string)
	// AskTrust, if set, asks the user whether to trust a jar that was not made here.
	AskTrust func(jar string) (bool, error)
	// AskPython, if set, asks the user whether to fetch a Python; Yes says so at once.
	AskPython func(offered.Offer) (bool, error)
	Yes       bool
	// Early, if set, reports whether files may be fetched before a plan was decided on, since
	// nobody is asked; beyond tells that something present may go or change.
	Early func(beyond bool) bool
	// AskBuild, if set, asks the user whether source may be built.
	AskBuild func(building.Question) (bool, error)
	// AskPassphrase, if set, asks the user for that of a key's file.
	AskPassphrase func(file string) ([]byte, error)
	// Build are names that may be built from source in this command.
	Build []string
	// AsOf, if set, leaves out what was uploaded then or later, whatever the spec says of that.
	AsOf time.Time
	// NoHints leaves out what an error could tell after asking an index.
	NoHints bool
	// SealedOff shuts PYTHONPATH and the user's own packages out of what is run.
	SealedOff bool

	// registries is [Machine.registry], once somebody asked for it.
	registries *registry.Client
	// wide is what the machine's administrator set.
	wide settings.Machine
	// holding are jars whose lock this process has, projects the keys of those whose
	// spec and record it has; waited tells that it waited for one of these, told that
	// it was said.
	holding  map[string]*jar.Jar
	projects map[string]bool
	waited   bool
	told     bool
	// titles are what jars of scripts are called, by root.
	titles map[string]string
	// later tells that modules of a changed jar are to be compiled by another
	// process.
	later bool
}

// NewMachine reads the settings and looks at the environment.
func NewMachine(dir string) (*Machine, error) {
	m := &Machine{Folders: settings.Standard(), Dir: place.Absolute(dir, dir), Active: os.Getenv("VIRTUAL_ENV"), holding: map[string]*jar.Jar{}, projects: map[string]bool{}, titles: map[string]string{}, Client: &fetch.Client{Credentials: &fetch.Credentials{}}}
	if err := m.readSettings(); err != nil {
		return nil, err
	}
	m.Cache = interpreter.OpenCache(filepath.Join(m.Folders.Cache, "pythons.json"))
	return m, nil
}

// readSettings reads the user's settings: at the beginning, and again after a wait,
// in which they may have been changed.
func (m *Machine) readSettings() error {
	var err error
	if m.Settings, err = settings.Read(m.Folders.Settings); err != nil {
		return err
	}
	if m.wide, err = settings.ReadMachine(settings.MachineFile()); err != nil {
		m.note(MachineSettings, err.Error())
	}
	standard := settings.Standard()
	m.Folders.Store, m.Folders.Shelf, m.Folders.Commands = standard.Store, standard.Shelf, standard.Commands
	if m.Settings.Store != "" {
		m.Folders.Store = m.Settings.Store
	}
	if m.Settings.Commands != "" {
		m.Folders.Commands = m.Settings.Commands
	}
	if m.Settings.Shelf != "" {
		m.Folders.Shelf = m.Settings.Shelf
	}
	m.Client.AllowHTTP, m.Client.Certificates = m.Settings.AllowHTTP, m.Settings.Certificates
	m.Client.Waits = func(host string, d time.Duration) {
		m.report(progress.Event{Stage: fmt.Sprintf("waiting %v, as %s asks", d.Round(time.Second), host)})
	}
	m.Client.Cache = filepath.Join(m.Folders.Cache, "http")
	m.Client.Credentials.Keyring = m.Settings.Keyring
	m.Store = &store.Store{Dir: m.Folders.Store, KeepPackages: m.Settings.KeepPackages}
	last := m.Store
	for _, dir := range m.Settings.SecondStores() {
		last.Second = &store.Store{Dir: dir}
		last = last.Second
	}
	m.Making = shelf.Making{Dir: filepath.Join(m.Folders.State, "making")}
	m.Known = shelf.List{Dir: filepath.Join(m.Folders.State, "jars"), Temporary: m.Making.Begin}
	m.Discarded = shelf.DiscardedList{Dir: filepath.Join(m.Folders.State, "discarded"), Temporary: m.Making.Begin}
	return nil
}

func (m *Machine) settingsFile() settings.File {
	return settings.NewFile(m.Folders, m.lockMode(m.Folders.Settings), m.Making.Begin)
}

func (m *Machine) note(remark Remark, of ...string) {
	n := Note{remark, of}
	if !slices.ContainsFunc(m.Notes, n.same) {
		m.Notes = append(m.Notes, n)
	}
}

func (m *Machine) report(e progress.Event) { m.Report.Tell(e) }

func (m *Machine) finder() *interpreter.Finder {
	f := interpreter.NewFinder(m.Cache, append(slices.Clone(m.Settings.Pythons), m.pythons().Dir)...)
	if m.Active != "" && jar.Exists(m.Active) && m.Places().MayBeUsed(m.Active) {
		if j, err := jar.Open(m.Active); err == nil {
			if base, err := j.Base(); err == nil {
				f.Active = []string{base}
			}
		}
	}
	return f
}

// newCatalog asks some indexes; nil asks none.
func (m *Machine) newCatalog(indexes *index.Ordered) *catalog.Catalog {
	c := &catalog.Catalog{Direct: map[string]index.File{}, Store: m.Store, Cache: m.Folders.Cache, Client: m.Client, Registry: m.registry, Report: m.Report}
	return c.Use(indexes)
}

// indexes are those of the project, then the user's; the sample where there
// are none. sampleOnly tells the latter.
func (m *Machine) indexes(spec *project.Spec) (o *index.Ordered, sampleOnly bool) {
	o = &index.Ordered{Pins: map[string]string{}, Until: m.AsOf}
	if spec != nil {
		if o.Until.IsZero() {
			o.Until = spec.Until
		}
		o.Held = map[string]index.Hold{}
		for name, h := range spec.Held {
			o.Held[name] = index.Hold(h)
		}
		for _, e := range spec.Tool.Indexes {
			if e.Holds != "" {
				continue
			}
			o.Sources = append(o.Sources, m.source(e, spec.Dir()))
		}
	}
	// A pin names an index of the same file: a project that calls one of its own as the
	// user calls one does not take over what the user pinned.
	called := map[string]string{}
	for _, e := range m.Settings.Indexes {
		if e.Holds != "" {
			continue
		}
		source := m.source(e, filepath.Dir(m.Folders.Settings))
		called[e.Name] = e.Name
		if other := o.Source(e.Name); other != nil {
			if other.Address() == source.Address() {
				continue
			}
			e.Name = yours + e.Name
			called[strings.TrimPrefix(e.Name, yours)] = e.Name
			source = m.source(e, filepath.Dir(m.Folders.Settings))
		}
		o.Sources = append(o.Sources, source)
	}
	for name, at := range m.Settings.FromIndex {
		if own, ok := called[at]; ok {
			at = own
		}
		o.Pins[requirement.Normalize(name)] = at
	}
	if spec != nil {
		for name, at := range spec.Tool.FromIndex {
			o.Pins[name] = at
		}
	}
	if len(o.Sources) == 0 {
		o.Sources = []index.Source{index.Sample{}}
		return o, true
	}
	return o, false
}

// yours comes before the name of an index of the user's where the project has another of
// that name.
const yours = "your-"

// absolute is a path as the user gave it, seen from where the user stands.
func (m *Machine) absolute(path string) string { return place.Absolute(m.Dir, path) }

// source makes an index of its entry: "sample:", an address, or a folder
// relative to the file that names it.
func (m *Machine) source(e project.IndexEntry, base string) index.Source {
	switch {
	case e.At == index.SampleScheme:
		return index.Sample{}
	case index.IsAddress(e.At):
		return index.NewServer(e.Name, e.At, m.Client)
	case registry.IsRef(e.At):
		return index.NewRegistry(e.Name, e.At, m.registry())
	}
	dir, ok := metadata.PathOf(e.At)
	if !ok {
		dir = place.Absolute(base, filepath.FromSlash(e.At))
	}
	return index.NewFolder(e.Name, dir).KeepSums(filepath.Join(m.Folders.Cache, "sums"), &m.Store.Sums)
}

// interpreterOf is the interpreter that a jar links to. That of a jar which is not
// trusted is asked only if it is one that is found without the jar. The error is a
// [*jar.InterpreterGoneError], an [interpreter.Rejection] or a
// [*place.NotTrustedError].
func (m *Machine) interpreterOf(ctx context.Context, j *jar.Jar) (interpreter.Interpreter, error) {
	base, err := j.Base()
	if err != nil {
		return interpreter.Interpreter{}, err
	}
	if err := m.Places().MayUse(j.Root); err != nil && !j.Prepared() && !m.finder().Finds(base) {
		return interpreter.Interpreter{}, err
	}
	return m.probe(ctx, base)
}

// probe asks one program what it is, or its answer from the cache.
func (m *Machine) probe(ctx context.Context, path string) (interpreter.Interpreter, error) {
	f := &interpreter.Finder{Cache: m.Cache}
	in, err := f.Ask(ctx, path)
	m.Cache.Save()
	return in, err
}

// Sweep removes what processes that were killed left half made.
func (m *Machine) Sweep() {
	m.Making.Sweep()
	m.Store.Sweep()
}

// Places finds jars, and says which may be used.
func (m *Machine) Places() place.Finder {
	return place.Finder{Dir: m.Dir, Active: m.Active, Shelf: m.Folders.Shelf, Known: m.Known, Trusted: slices.Concat(m.Settings.Trusted, m.wide.Trusted),
		Scripts: m.Folders.Scripts, OfScript: m.scriptRoot, Titles: m.titles}
}
