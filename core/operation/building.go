package operation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"glassjar/core/apply"
	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/internal/once"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/settings"
	"glassjar/core/source"
	"glassjar/core/target"
	"glassjar/core/version"
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
	// pins are what a record says that things were built with, by name.
	pins map[string][]project.BuiltWith
	// made are what was built or found, by name, for the record.
	madeMu sync.Mutex
	made   map[string]source.Made
	// mu guards the consents: one question at a time.
	mu       sync.Mutex
	consents *consents
	places   once.Map[string, sourcePlace]
	wheels   once.Map[string, source.Made]
}

// sourcePlace is where source stands on this machine.
type sourcePlace struct {
	source source.Source
	// sum is a hash of it.
	sum string
}

// withSources has a job's catalog answer for source. named are the names that the command
// line itself asks for, record what is there already.
func (m *Machine) withSources(p *job, spec *project.Spec, named map[string]bool, record *project.Record) *building {
	b := &building{m: m, python: p.python, catalog: p.catalog, pins: map[string][]project.BuiltWith{}, made: map[string]source.Made{}, kept: m.kept(),
		consents: &consents{m: m, at: p.place, spec: spec, named: named, said: map[string]bool{}}}
	if record != nil {
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
	out := []string{m.Store.Dir}
	if m.Store.Second != nil {
		out = append(out, m.Store.Second.Dir)
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
// somebody has said yes to it.
func (b *building) builtBefore(name string) bool {
	_, recorded := b.pins[name]
	return recorded && slices.ContainsFunc(b.kept.All(), func(m source.Made) bool { return m.Distribution == name && m.SHA256 != "" })
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

// newestSource is the newest source of a distribution.
func (b *building) newestSource(ctx context.Context, name string) (index.File, error) {
	releases, _, err := b.catalog.Releases(ctx, name)
	for _, r := range releases {
		for _, f := range r.Files {
			if f.IsSource() {
				return f, nil
			}
		}
	}
	return index.File{Distribution: name}, err
}

// question is what is asked about source: what would run is read, not run.
func (b *building) question(ctx context.Context, name string, f index.File) (BuildQuestion, error) {
	q := BuildQuestion{Name: name, From: f.Name}
	if !f.Version.IsZero() {
		q.Version = f.Version.String()
	}
	at, err := b.locate(ctx, f)
	if err != nil {
		return q, err
	}
	if f.Tree != nil {
		q.From = f.Tree.Repository
		if q.From == "" {
			q.From = project.Shorten(b.m.Dir, f.Tree.Folder)
		}
	}
	s, err := source.Read(at.source)
	if err != nil {
		return q, err
	}
	q.BackEnd, q.Requires, q.Own = s.BackEnd.Name, s.BackEnd.Requires, len(s.BackEnd.Path) > 0
	return q, nil
}

// given is [consents.given] of a file. The lock is not held.
func (b *building) given(f index.File) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.consents.given(f.Distribution, folderOf(f))
}

func folderOf(f index.File) string {
	if f.Tree == nil {
		return ""
	}
	return f.Tree.Folder
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

// locate brings source to this machine and hashes it.
func (b *building) locate(ctx context.Context, f index.File) (sourcePlace, error) {
	t := f.Tree
	key := f.URL + f.SHA256() + f.Subdirectory
	if t != nil {
		key = fmt.Sprintf("%s %t %s %s %s", t.Folder, t.Editable, t.Repository, t.Commit, f.Subdirectory)
	}
	return b.places.Do(key, func() (sourcePlace, error) {
		at := sourcePlace{source: source.Source{Name: f.Distribution, Version: f.Version, Subdirectory: f.Subdirectory}}
		var err error
		switch {
		case t == nil:
			at.source.Archive, at.sum, err = b.catalog.Fetch(ctx, f, nil)
			if err == nil && filepath.Base(at.source.Archive) != f.Name {
				at.source.Archive, err = b.named(at.source.Archive, f.Name, at.sum)
			}
		case t.Repository != "":
			at.source.Folder, err = b.checkOut(ctx, f)
			at.sum = repositoryOfFile(f).Sum()
		default:
			at.source.Folder, at.source.Editable = t.Folder, t.Editable
			at.sum, err = source.FolderSum(ctx, t.Folder, source.Of{Subdirectory: f.Subdirectory, Editable: t.Editable, Own: t.Own})
		}
		return at, err
	})
}

// named gives a package file of the store the name by which its kind is told.
func (b *building) named(path, name, sum string) (string, error) {
	dir := filepath.Join(b.builder.Work, "archives", sum[:16])
	to := filepath.Join(dir, filepath.Base(name))
	if _, err := os.Lstat(to); err == nil {
		return to, nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	err := os.Symlink(path, to)
	if errors.Is(err, os.ErrExist) {
		err = nil
	}
	return to, err
}

func repositoryOfFile(f index.File) source.Repository {
	return source.Repository{URL: f.Tree.Repository, Requested: f.Tree.Requested, Commit: f.Tree.Commit, Subdirectory: f.Subdirectory}
}

func (m *Machine) repositories() source.Repositories {
	return source.Repositories{Dir: filepath.Join(m.Folders.Cache, "repositories"), Offline: m.Client.Offline}
}

// checkOut is a folder with a commit of a repository.
func (b *building) checkOut(ctx context.Context, f index.File) (string, error) {
	r, err := b.m.repositories().Resolve(ctx, repositoryOfFile(f))
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256([]byte(r.URL + "\n" + r.Commit))
	dir := filepath.Join(b.m.Folders.Cache, "checkouts", hex.EncodeToString(sum[:16]))
	if _, err := os.Stat(filepath.Join(dir, ".git")); err == nil {
		return dir, nil
	}
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return "", err
	}
	temp, err := os.MkdirTemp(filepath.Dir(dir), "new-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(temp)
	if err := b.m.repositories().CheckOut(ctx, r, filepath.Join(temp, "tree")); err != nil {
		return "", err
	}
	if err := os.Rename(filepath.Join(temp, "tree"), dir); err != nil {
		if _, there := os.Stat(filepath.Join(dir, ".git")); there != nil {
			return "", err
		}
	}
	return dir, nil
}

// describe fills in what is known of source once it is here: its hash, the commit, and the
// version.
func (b *building) describe(ctx context.Context, f index.File) (index.File, error) {
	if f.Tree == nil && !f.Version.IsZero() && f.SHA256() != "" {
		return f, nil
	}
	if t := f.Tree; t != nil && t.Repository != "" {
		r, err := b.m.repositories().Resolve(ctx, repositoryOfFile(f))
		if err != nil {
			return f, err
		}
		tree := *t
		tree.Commit = r.Commit
		f.Tree = &tree
	}
	at, err := b.locate(ctx, f)
	if err != nil {
		return f, err
	}
	f.Hashes = withSum(f.Hashes, at.sum)
	if !f.Version.IsZero() {
		return f, nil
	}
	if s, err := source.Read(at.source); err == nil && s.Version != "" {
		f.Version, err = version.Parse(s.Version)
		return f, err
	}
	data, err := b.Metadata(ctx, f)
	if err != nil {
		return f, err
	}
	meta, err := metadata.Parse(data)
	f.Version = meta.Version
	return f, err
}

// ready is source with what is known of it, once it may be built: nobody is asked where
// nothing will run, since it was built here before.
func (b *building) ready(ctx context.Context, f index.File) (index.File, error) {
	f, err := b.describe(ctx, f)
	if err != nil {
		return f, err
	}
	if b.given(f) {
		return f, nil
	}
	if at, err := b.locate(ctx, f); err == nil {
		at.source.Options = b.options(f.Distribution)
		if m, ok := b.kept.Find(source.Key(at.sum, at.source, b.python)); ok && b.m.Store.HasTree(m.SHA256) {
			return f, nil
		}
	}
	return f, b.require(ctx, f)
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
	s, err := source.Read(at.source)
	if err != nil {
		return nil, err
	}
	if s.Metadata != nil {
		return s.Metadata, nil
	}
	if err := b.require(ctx, f); err != nil {
		return nil, err
	}
	at.source.Options = b.options(f.Distribution)
	key := source.Key(at.sum, at.source, b.python)
	if m, ok := b.kept.Find(key); ok {
		return []byte(m.Metadata), nil
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

// chain is the key of the names that are being built, in a context.
type chain struct{}

func beingBuilt(ctx context.Context) []string {
	list, _ := ctx.Value(chain{}).([]string)
	return list
}

func withBuilt(ctx context.Context, name string) context.Context {
	return context.WithValue(ctx, chain{}, append(slices.Clone(beingBuilt(ctx)), name))
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

// environment makes a jar that nobody sees, with what a build needs in it.
func (b *building) environment(ctx context.Context, requirements []string) (source.Environment, error) {
	var env source.Environment
	dir, gone := b.m.Making.Begin(filepath.Join(b.builder.Work, "environment"))
	env.Close = func() {
		os.RemoveAll(dir)
		gone()
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return env, err
	}
	env.Root = filepath.Join(dir, "jar")
	if err := b.furnish(ctx, &env, requirements); err != nil {
		env.Close()
		return env, err
	}
	return env, nil
}

func (b *building) furnish(ctx context.Context, env *source.Environment, requirements []string) error {
	at := place.Place{Root: env.Root}
	p := newJob(at)
	p.Create, p.python = true, b.python
	j, err := jar.Prepare(env.Root+".new", b.python, jar.Options{Prompt: "build"})
	if err != nil {
		return err
	}
	if p.choices, p.catalog, err = b.choose(ctx, requirements); err != nil {
		return err
	}
	if err := b.m.hashAll(ctx, p); err != nil {
		return err
	}
	p.compare(nil, nil, nil, plan.Aim{})
	if err := b.buildAll(ctx, &p.steps); err != nil {
		return err
	}
	release, err := b.m.Store.Hold(ctx, b.m.sharing())
	if err != nil {
		return err
	}
	defer release()
	applier := apply.Applier{Store: b.m.Store, Placing: b.m.Settings.Placing, Report: b.m.Report, Command: "build", Now: b.m.now, Compiling: settings.BytecodeOn}
	_, err = applier.Do(ctx, apply.Work{Plan: p.Plan, Steps: p.steps, Place: at, Jar: j, Python: b.python, Catalog: p.catalog, Write: map[string][]byte{},
		Commit: func(ctx context.Context) error { return j.Commit(ctx, env.Root) }})
	if err == nil && j.Prepared() {
		err = j.Commit(ctx, env.Root)
	}
	if err != nil {
		return err
	}
	env.Python, env.Scripts = j.Path(j.Layout().Python()), j.Path(j.Layout().Scripts())
	for _, c := range p.choices {
		env.Pins = append(env.Pins, source.Pin{Name: c.Name, Version: c.Version.String(), File: c.File.Name, URL: fetch.Redact(c.File.URL), Index: b.addressOf(c.File.Index), SHA256: c.File.SHA256()})
	}
	return nil
}

// pinned are exactly the package files that the record says the one that is being built was
// built with, if these meet its requirements and can be had.
func (b *building) pinned(ctx context.Context, requirements []string, env target.Environment) ([]plan.Choice, bool) {
	chain := beingBuilt(ctx)
	if len(chain) == 0 || len(b.pins[chain[len(chain)-1]]) == 0 {
		return nil, false
	}
	var out []plan.Choice
	have := map[string]version.Version{}
	for _, p := range b.pins[chain[len(chain)-1]] {
		v, err := version.Parse(p.Version)
		name, bad := metadata.ParseWheelName(p.File)
		if err != nil || bad != nil || p.SHA256 == "" {
			return nil, false
		}
		if _, fits := env.Ranks.Best(name.Tags); !fits {
			return nil, false
		}
		f := index.File{Name: p.File, Distribution: p.Name, Version: v, Wheel: &name, URL: p.URL, Size: -1, Hashes: map[string]string{"sha256": p.SHA256}, Index: "record"}
		if local, ok := metadata.PathOf(p.URL); ok {
			f.Path = local
			if _, err := os.Stat(local); err != nil && !b.tools.Here(f) {
				return nil, false
			}
		}
		have[requirement.Normalize(p.Name)] = v
		out = append(out, plan.Choice{Name: requirement.Normalize(p.Name), Version: v, File: f})
	}
	for _, text := range requirements {
		r, err := requirement.Parse(text)
		if err != nil {
			return nil, false
		}
		if v, ok := have[r.Key()]; r.Marker.Holds(env.Markers) && (!ok || !r.Specifiers.Holds(v)) {
			return nil, false
		}
	}
	return out, true
}

func (b *building) addressOf(name string) string {
	if s := b.catalog.Indexes.Source(name); s != nil {
		return s.Address()
	}
	return ""
}

// choose finds what meets the requirements of a build: what the record says, as far as that
// meets them, else the newest that fit together. Wheels are tried first; where there are
// none for something, that is built.
func (b *building) choose(ctx context.Context, requirements []string) ([]plan.Choice, *catalog.Catalog, error) {
	if len(requirements) == 0 {
		return nil, b.tools, nil
	}
	env := target.EnvironmentOf(b.python)
	if pinned, ok := b.pinned(ctx, requirements, env); ok {
		return pinned, b.tools, nil
	}
	var roots []project.Asked
	for _, text := range requirements {
		r, err := requirement.Parse(text)
		if err != nil {
			return nil, nil, err
		}
		roots = append(roots, project.Asked{Requirement: r, Text: text})
	}
	keep := map[string]version.Version{}
	for _, pins := range b.pins {
		for _, p := range pins {
			if v, err := version.Parse(p.Version); err == nil {
				keep[p.Name] = v
			}
		}
	}
	choices, _, err := b.m.solver(ctx, b.tools, nil).Solve(ctx, env, roots, resolve.Problem{Keep: keep})
	if len(sourceOnly(err)) == 0 {
		return choices, b.tools, err
	}
	// One of its own: what another build asks and waits for is not waited for.
	c := b.m.newCatalog(b.tools.Indexes)
	c.Sources = b
	choices, _, err = b.m.solver(ctx, c, nil).Solve(ctx, env, roots, resolve.Problem{Keep: keep})
	if names := sourceOnly(err); len(names) > 0 {
		err = &NoConsentError{Names: names, Spec: b.consents.specFile(), Err: err}
	}
	return choices, c, err
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

// consentLine is the line of a spec that lets names be built.
func consentLine(names []string) string {
	var quoted []string
	for _, n := range names {
		quoted = append(quoted, fmt.Sprintf("%q", n))
	}
	return "build-consent = [" + strings.Join(quoted, ", ") + "]"
}
