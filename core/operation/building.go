package operation

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
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
	"glassjar/core/resolve"
	"glassjar/core/source"
	"glassjar/core/wheel"
)

// building makes wheels out of source in one command. It answers the solver
// ([catalog.Sources]).
type building struct {
	m       *Machine
	python  interpreter.Interpreter
	builder *source.Builder
	kept    source.Kept
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
	consents *consents
	places   once.Map[string, sourcePlace]
	stated   once.Map[string, source.Statement]
	wheels   once.Map[string, source.Made]
	before   once.Map[string, bool]
}

// withSources has a job's catalog answer for source. named are the names that the command
// line itself asks for, record what is there already.
func (m *Machine) withSources(p *job, spec *project.Spec, named map[string]bool, record *project.Record) *building {
	b := &building{m: m, python: p.python, catalog: p.catalog, pins: map[string][]project.BuiltWith{}, commits: map[string]project.VCS{}, archives: map[string]project.PackageFile{}, made: map[string]source.Made{}, kept: m.kept(),
		consents: &consents{m: m, at: p.place, spec: spec, named: named, said: map[string]bool{}}}
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
	home, _ := os.UserHomeDir() // where there is none there is nothing to hide
	b.builder = &source.Builder{Python: p.python, Environment: b.environment, Work: filepath.Join(m.Folders.Cache, "builds"), Logs: filepath.Join(m.Folders.State, "builds"), Home: home,
		Readable: m.storeFolders(), Limit: m.buildLimit(), Temporary: m.Making.Begin, Line: func(name, line string) {
			m.report(progress.Event{Stage: "building " + name + ": " + line})
		}}
	b.tools = m.newCatalog(p.catalog.Indexes)
	p.catalog.Sources, p.building = b, b
	return b
}

func (m *Machine) kept() source.Kept { return source.Kept{Dir: filepath.Join(m.Store.Dir, "built")} }

func (m *Machine) storeFolders() []string {
	var out []string
	for _, s := range m.Store.Chain() {
		out = append(out, s.Dir)
	}
	return out
}

// buildLimit is how long one step of a build may take.
func (m *Machine) buildLimit() time.Duration {
	if m.Settings.BuildMinutes > 0 {
		return time.Duration(m.Settings.BuildMinutes) * time.Minute
	}
	return time.Hour
}

// MayBuild reports whether a distribution of an index may be built; where the spec says so
// and nobody here has, that is asked first.
func (b *building) MayBuild(ctx context.Context, name string) (bool, error) {
	if slices.Contains(beingBuilt(ctx), name) {
		return false, nil // it cannot be had by building itself
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.consents.given(name, "") {
		return true, nil
	}
	if !b.consents.inSpec(name) {
		return b.builtBefore(name), nil
	}
	return true, b.askFor(ctx, name)
}

// builtBefore reports whether the record says that a name was built, and that was here: then
// somebody has said yes to it. It is asked for each release, so it is found out once.
func (b *building) builtBefore(name string) bool {
	if _, recorded := b.pins[name]; !recorded {
		return false
	}
	before, _ := b.before.Do(name, func() (bool, error) {
		return slices.ContainsFunc(b.kept.All(), func(m source.Made) bool { return m.Distribution == name && m.SHA256 != "" }), nil
	})
	return before
}

// askFor asks about a distribution of an index. The lock is held.
func (b *building) askFor(ctx context.Context, name string) error {
	q := BuildQuestion{Name: name}
	if b.m.AskBuild != nil {
		f, err := b.newestSource(ctx, name)
		if err != nil {
			return err
		}
		if q, err = b.question(ctx, name, f); err != nil {
			return err
		}
	}
	return b.consents.ask(q, "", false)
}

// given is [consents.given] of a file. The lock is not held.
func (b *building) given(f index.File) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.consents.given(f.Distribution, folderOf(f))
}

// require makes sure that source may be built, asking if need be. The lock is not held.
func (b *building) require(ctx context.Context, f index.File) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	name, folder := f.Distribution, folderOf(f)
	if b.consents.given(name, folder) {
		return nil
	}
	own := f.Tree != nil && f.Tree.Own
	q := BuildQuestion{Name: name}
	if b.m.AskBuild != nil {
		var err error
		if q, err = b.question(ctx, name, f); err != nil {
			return err
		}
	}
	return b.consents.ask(q, folder, own)
}

// allow asks about names of which there is source only. It reports whether there is one
// that may be built now and could not before.
func (b *building) allow(ctx context.Context, names []string, cause error) (bool, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.m.AskBuild == nil {
		return false, &NoConsentError{Names: names, Spec: b.consents.specFile(), Err: cause}
	}
	for _, name := range names {
		if err := b.askFor(ctx, name); err != nil {
			return false, err
		}
	}
	return len(names) > 0, nil
}

// ready is source with what is known of it, once it may be built: nobody is asked where
// nothing will run, since it was built here before.
func (b *building) ready(ctx context.Context, f index.File) (index.File, error) {
	if !b.given(f) {
		if f.Tree != nil && f.Tree.Commit == "" {
			var err error
			if f, err = b.withCommit(ctx, f); err != nil {
				return f, err
			}
		}
		if !b.hadBefore(ctx, f) {
			if err := b.require(ctx, f); err != nil {
				return f, err
			}
		}
	}
	return b.describe(ctx, f)
}

// hadBefore reports whether source was built here before, as far as that can be told without
// fetching it.
func (b *building) hadBefore(ctx context.Context, f index.File) bool {
	s := source.Source{Name: f.Distribution, Version: f.Version, Subdirectory: f.Subdirectory, Options: b.options(f.Distribution)}
	sum := f.SHA256()
	switch t := f.Tree; {
	case t == nil && sum == "" && f.Path == "" || t != nil && t.Repository != "" && t.Commit == "":
		return false
	case t != nil && t.Repository != "":
		sum = repositoryOfFile(f).Sum()
	case t != nil || sum == "":
		at, err := b.locate(ctx, f)
		if err != nil {
			return false // whoever needs it is told
		}
		sum, s.Folder, s.Editable = at.sum, at.source.Folder, at.source.Editable
	}
	m, ok := b.kept.Find(source.Key(sum, s, b.python))
	return ok && b.m.Store.HasTree(m.SHA256)
}

// take is [plan.Take]: source of a record, if it may be built.
func (b *building) take(ctx context.Context) plan.Take {
	return func(f index.File) (index.File, error) { return b.ready(ctx, f) }
}

// Metadata is what a wheel of source would say of what it needs. The project itself needs
// what its spec asks for, which is followed anyway, and may be about to change.
func (b *building) Metadata(ctx context.Context, f index.File) ([]byte, error) {
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

func (b *building) wheelMetadata(ctx context.Context, f index.File) ([]byte, error) {
	at, err := b.locate(ctx, f)
	if err != nil {
		return nil, err
	}
	s, err := b.statement(at)
	if err != nil {
		return nil, err
	}
	if s.Metadata != nil {
		return s.Metadata, nil
	}
	at.source.Options = b.options(f.Distribution)
	key := source.Key(at.sum, at.source, b.python)
	if m, ok := b.kept.Find(key); ok {
		return []byte(m.Metadata), nil
	}
	if err := b.require(ctx, f); err != nil {
		return nil, err
	}
	b.m.report(progress.Event{Stage: "asking the back end of " + f.Distribution})
	data, err := b.builder.Metadata(withBuilt(ctx, f.Distribution), at.source)
	if err == nil {
		_ = b.kept.Add(key, source.Made{Distribution: f.Distribution, Metadata: string(data), At: b.m.now()}) // else it is asked again
	}
	return data, err
}

func (b *building) options(name string) source.Options {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.consents.options(name)
}

// buildAll makes the wheels of what is to be put in place and is source, several at a time.
// The store is held.
func (b *building) buildAll(ctx context.Context, steps *plan.Steps) error {
	group, inner := guard.WithContext(ctx)
	group.SetLimit(max(1, runtime.NumCPU()/2))
	for i := range steps.Install {
		c := &steps.Install[i]
		if c.Provided || !c.File.IsSource() || c.Built != "" && b.m.Store.HasTree(c.Built) {
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
func (b *building) build(ctx context.Context, f index.File) (source.Made, error) {
	at, err := b.locate(ctx, f)
	if err != nil {
		return source.Made{}, err
	}
	at.source.Options = b.options(f.Distribution)
	key := source.Key(at.sum, at.source, b.python)
	work := func() (source.Made, error) {
		if m, ok := b.kept.Find(key); ok && b.m.Store.HasTree(m.SHA256) && b.sameBuild(f.Distribution, m) {
			return m, nil
		}
		if err := b.require(ctx, f); err != nil {
			return source.Made{}, err
		}
		b.m.report(progress.Event{Stage: "building " + f.Distribution})
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
func (b *building) sameBuild(name string, m source.Made) bool {
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
func (b *building) takeIn(ctx context.Context, key string, w *source.Wheel) (source.Made, error) {
	sum, err := digest.OfFile(ctx, w.File)
	if err != nil {
		return source.Made{}, err
	}
	if _, err := b.m.Store.UnpackWheel(ctx, w.File, w.Name, sum, wheel.LimitsFor(b.python.OS())); err != nil {
		return source.Made{}, err
	}
	made := source.Made{Distribution: w.Distribution, Version: w.Version.String(), File: w.Name, SHA256: sum, Room: w.Room, Pins: w.Pins, Libraries: w.Libraries, LibraryPath: w.LibraryPath, Metadata: string(w.Metadata), At: b.m.now()}
	return made, b.kept.AddWheel(key, made, w.File)
}

// builtTables are what a record says of what was built.
func (b *building) builtTables(old []project.Built, choices []plan.Choice) []project.Built {
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
	for _, name := range sortedNames(out) {
		list = append(list, out[name])
	}
	return list
}

// sourceOnly are the names of which a proof says that there is source only.
func sourceOnly(err error) []string {
	var failure *plan.SolveError
	if !errors.As(err, &failure) {
		return nil
	}
	var out []string
	for _, f := range failure.Facts {
		if f.Unfit == resolve.SourceOnly && !slices.Contains(out, f.Name) {
			out = append(out, f.Name)
		}
	}
	slices.Sort(out)
	return out
}
