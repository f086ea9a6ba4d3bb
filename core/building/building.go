// Package building makes wheels out of source while a command is at work: it asks whether that may
// be done, brings the source to this machine, chooses what its build needs, has it built in a closed
// room, and keeps what came of it. How one wheel is made of one source is [source]'s.
package building

import (
	"context"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"sync"
	"time"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/internal/once"
	"glassjar/core/interpreter"
	"glassjar/core/metadata"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
	"glassjar/core/store"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

// Machine is what a building takes from the machine and the command that it happens in.
type Machine struct {
	// Dir is where the user stands: folders are told relative to it.
	Dir   string
	Store *store.Store
	// Hold keeps the store from being tidied while files are taken from it.
	Hold func(context.Context) (release func(), err error)
	// Kept is what was built before, Checkouts what was of repositories.
	Kept      source.Kept
	Checkouts Checkouts
	// Work is the folder in which is built, Logs that of what builds print, and Readable are those
	// that a build may look into besides; Home, if set, is hidden from it.
	Work, Logs, Home string
	Readable         []string
	// Limit is how long one step of a build may take.
	Limit time.Duration
	// Placing is how files get into the jars of builds.
	Placing string
	// Temporary gives a name beside a path, and what ends its use.
	Temporary func(path string) (temp string, end func())
	Report    progress.Sink
	Now       func() time.Time
	// Catalog asks some indexes anew, Solver solves with what a catalogue has.
	Catalog func(*index.Ordered) *catalog.Catalog
	Solver  func(context.Context, *catalog.Catalog) plan.Solver
}

// Building makes wheels out of source in one command, for one interpreter. It answers the solver
// ([catalog.Sources]). Several goroutines may use it.
type Building struct {
	on      Machine
	python  interpreter.Interpreter
	builder *source.Builder
	// catalog is the command's, tools one for what builds need, which has wheels only.
	catalog, tools *catalog.Catalog
	// commits are those that a record has of repositories, by name; a branch or a tag stays
	// there until it is free to move.
	commits map[string]project.VCS
	// archives are those that it has by address.
	archives map[string]project.PackageFile
	// pins are what a record says that things were built with, by name.
	pins map[string][]project.BuiltWith
	// made are what was built or found, by name, for the record.
	madeMu sync.Mutex
	made   map[string]source.Made
	// mu guards the consents: one question at a time.
	mu       sync.Mutex
	consents *Consents
	places   once.Map[string, sourcePlace]
	stated   once.Map[string, source.Statement]
	wheels   once.Map[string, source.Made]
	before   once.Map[string, bool]
}

// New is a building for a command that asks a catalogue. What the record says of sources and of
// what they were built with holds, until it is freed; nil is no record.
func New(on Machine, python interpreter.Interpreter, c *catalog.Catalog, consents *Consents, record *project.Record) *Building {
	b := &Building{on: on, python: python, catalog: c, consents: consents, tools: on.Catalog(c.Indexes),
		pins: map[string][]project.BuiltWith{}, commits: map[string]project.VCS{}, archives: map[string]project.PackageFile{}, made: map[string]source.Made{}}
	if record != nil {
		for _, e := range record.Packages {
			if e.VCS != nil {
				b.commits[e.Name] = *e.VCS
			}
			if e.Archive != nil {
				b.archives[e.Name] = *e.Archive
			}
		}
		for _, one := range record.Built {
			b.pins[requirement.Normalize(one.Name)] = one.With
		}
	}
	b.builder = &source.Builder{Python: python, Environment: b.environment, Work: on.Work, Logs: on.Logs, Home: on.Home, Readable: on.Readable, Limit: on.Limit, Temporary: on.Temporary,
		Line: func(name, line string) {
			on.Report.Tell(progress.Event{Stage: "building " + name + ": " + line})
		}}
	return b
}

// Free lets go of what the record says of where a name's source is: it may move.
func (b *Building) Free(name string) {
	delete(b.commits, name)
	delete(b.archives, name)
}

// Recorded is source that was named, with the commit or the hash that the record has of it.
func (b *Building) Recorded(f index.File) index.File {
	switch {
	case f.Tree != nil && f.Tree.Repository != "":
		if v, ok := b.commits[f.Distribution]; ok && f.Tree.Commit == "" && v.URL == f.Tree.Repository && v.Requested == f.Tree.Requested && v.Subdirectory == f.Subdirectory {
			tree := *f.Tree
			tree.Commit = v.Commit
			f.Tree = &tree
		}
	case f.Tree == nil && f.Hashes.Empty() && f.Path == "":
		if a, ok := b.archives[f.Distribution]; ok && a.URL == f.URL {
			f.Hashes, f.Size = digest.SumsOf(a.Hashes), a.Size
		}
	}
	return f
}

// SpecText is a spec's text with the names in it that somebody said yes to meanwhile.
func (b *Building) SpecText(text []byte) ([]byte, error) { return b.consents.write(text) }

// Metadata is what a wheel of source would say of what it needs. The project itself needs
// what its spec asks for, which is followed anyway, and may be about to change.
func (b *Building) Metadata(ctx context.Context, f index.File) ([]byte, error) {
	data, err := b.wheelMetadata(ctx, f)
	if err != nil || f.Tree == nil || !f.Tree.Own {
		return data, err
	}
	meta, err := metadata.Parse(data)
	text := fmt.Sprintf("Metadata-Version: 2.1\nName: %s\nVersion: %s\n", meta.Name, meta.Version)
	if len(meta.RequiresPython) > 0 {
		text += "Requires-Python: " + meta.RequiresPython.String() + "\n"
	}
	return []byte(text), err
}

func (b *Building) wheelMetadata(ctx context.Context, f index.File) ([]byte, error) {
	at, err := b.locate(ctx, f)
	if err != nil {
		return nil, err
	}
	s, err := b.statement(at)
	if err != nil {
		return nil, err
	}
	at.source.Options = b.options(f.Distribution)
	key := source.Key(at.sum, at.source, b.python)
	made, ok := b.on.Kept.Find(key)
	switch {
	case s.Metadata != nil && !(ok && needsMore(made.Metadata, s.Metadata)):
		return s.Metadata, nil
	case ok:
		return []byte(made.Metadata), nil
	}
	if err := b.require(ctx, f); err != nil {
		return nil, err
	}
	b.on.Report.Tell(progress.Event{Stage: "asking the back end of " + f.Distribution})
	data, err := b.builder.Metadata(withBuilt(ctx, f.Distribution), at.source)
	if err == nil {
		_ = b.on.Kept.Add(key, source.Made{Distribution: f.Distribution, Metadata: string(data), At: b.on.Now()}) // else it is asked again
	}
	return data, err
}

// needsMore reports whether a wheel that was made of source needs something that the source does
// not state, against the standard.
func needsMore(made string, stated []byte) bool {
	m, err := metadata.Parse([]byte(made))
	s, err2 := metadata.Parse(stated)
	if err != nil || err2 != nil {
		return false
	}
	known := map[string]bool{}
	for _, need := range s.Requires {
		known[need.String()] = true
	}
	return m.RequiresPython.String() != s.RequiresPython.String() ||
		slices.ContainsFunc(m.Requires, func(need requirement.Requirement) bool { return !known[need.String()] })
}

func (b *Building) options(name string) source.Options {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.consents.options(name)
}

// MakeWheels makes the wheels of what is to be put in place and is source, several at a time.
// The store is held.
func (b *Building) MakeWheels(ctx context.Context, steps *plan.Steps) error {
	group, inner := guard.WithContext(ctx)
	group.SetLimit(max(1, runtime.NumCPU()/2))
	for i := range steps.Install {
		c := &steps.Install[i]
		if c.Provided || !c.File.IsSource() || c.Built != "" && b.on.Store.HasTree(c.Built) {
			continue
		}
		group.Go(func() error {
			made, err := b.build(inner, c.File)
			c.Built, c.LibraryPath = made.SHA256, made.LibraryPath
			return err
		})
	}
	return group.Wait()
}

// build makes the wheel of source, unless that was done before on this machine.
func (b *Building) build(ctx context.Context, f index.File) (source.Made, error) {
	at, err := b.locate(ctx, f)
	if err != nil {
		return source.Made{}, err
	}
	at.source.Options = b.options(f.Distribution)
	key := source.Key(at.sum, at.source, b.python)
	work := func() (source.Made, error) {
		if m, ok := b.on.Kept.Find(key); ok && b.on.Store.HasTree(m.SHA256) && b.sameBuild(f.Distribution, m) {
			return m, nil
		}
		if err := b.require(ctx, f); err != nil {
			return source.Made{}, err
		}
		if s, err := b.statement(at); err == nil && at.source.Version.IsZero() && s.Version != "" {
			at.source.Version, _ = version.Parse(s.Version) // it was read as one
		}
		b.on.Report.Tell(progress.Event{Stage: "building " + f.Distribution})
		w, err := b.builder.Wheel(withBuilt(ctx, f.Distribution), at.source)
		if err != nil {
			return source.Made{}, err
		}
		defer w.Close()
		return b.takeIn(ctx, key, w)
	}
	var made source.Made
	if len(beingBuilt(ctx)) > 0 {
		made, err = work() // to wait for another build here could be to wait for oneself
	} else {
		made, err = b.wheels.Do(key, work)
	}
	b.madeMu.Lock()
	defer b.madeMu.Unlock()
	b.made[f.Distribution] = made
	return made, err
}

// sameBuild reports whether something was built with what a record says, if one does.
func (b *Building) sameBuild(name string, m source.Made) bool {
	pins, ok := b.pins[name]
	if !ok {
		return true
	}
	if len(pins) != len(m.Pins) {
		return false
	}
	for _, p := range pins {
		if !slices.ContainsFunc(m.Pins, func(q source.Pin) bool { return q.Name == p.Name && q.SHA256 == p.SHA256 }) {
			return false
		}
	}
	return true
}

// takeIn brings a wheel that was built into the store.
func (b *Building) takeIn(ctx context.Context, key string, w *source.Wheel) (source.Made, error) {
	sum, err := digest.OfFile(ctx, w.File)
	if err != nil {
		return source.Made{}, err
	}
	if _, err := b.on.Store.UnpackWheel(ctx, w.File, w.Name, sum, wheel.LimitsFor(b.python.OS())); err != nil {
		return source.Made{}, err
	}
	made := source.Made{Distribution: w.Distribution, Version: w.Version.String(), File: w.Name, SHA256: sum, Room: w.Room, Pins: w.Pins, Libraries: w.Libraries, LibraryPath: w.LibraryPath, Metadata: string(w.Metadata), At: b.on.Now()}
	return made, b.on.Kept.AddWheel(key, made, w.File)
}

// Tables are what a record says of what was built.
func (b *Building) Tables(old []project.Built, choices []plan.Choice) []project.Built {
	out := map[string]project.Built{}
	for _, one := range old {
		out[requirement.Normalize(one.Name)] = one
	}
	now := map[string]plan.Choice{}
	for _, c := range choices {
		now[c.Name] = c
	}
	for name, made := range b.made {
		c, there := now[name]
		if !there {
			continue // it was built to build another
		}
		one := project.Built{Name: name, Version: made.Version, With: []project.BuiltWith{}}
		if c.File.Tree != nil && c.File.Tree.Folder != "" {
			one.Version = "" // it changes with the folder
		}
		for _, p := range made.Pins {
			one.With = append(one.With, project.BuiltWith{Name: p.Name, Version: p.Version, File: p.File, URL: p.URL, Index: p.Index, SHA256: p.SHA256})
		}
		out[name] = one
	}
	var list []project.Built
	for _, name := range slices.Sorted(maps.Keys(out)) {
		list = append(list, out[name])
	}
	return list
}
