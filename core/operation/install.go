package operation

import (
	"context"
	"errors"
	"maps"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/tomltext"
	"glassjar/core/version"
)

// InstallOptions say what to install where.
type InstallOptions struct {
	Jar string
	// Wants are requirements (PEP 508).
	Wants []string
	// Editable are folders of source whose modules are imported from where they stand.
	Editable []string
	// Group or Extra is where in the spec they are written.
	Group, Extra string
	// Pre admits pre-releases.
	Pre bool
}

// Install adds to a jar, and writes down what was asked for and what came of
// it.
func (m *Machine) Install(ctx context.Context, opt InstallOptions, decide Decide) (*Outcome, error) {
	asked, err := m.readWants(ctx, opt.Wants, opt.Editable)
	if err != nil {
		return nil, err
	}
	at, release, err := m.beginAt(ctx, opt.Jar)
	if err != nil {
		return nil, err
	}
	defer release()
	if p, state := m.unchanged(at, opt, asked); p != nil {
		ok, err := decide(p.Plan)
		out := newOutcome(p.Plan)
		out.Done, out.Answer = ok && err == nil, m.answer(p.jar, at, state)
		return out, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	env, err := m.environmentAt(ctx, at)
	if err != nil {
		return nil, err
	}
	base, err := m.specToChange(ctx, at, spec)
	if err != nil {
		return nil, err
	}
	into := project.Part{Group: opt.Group, Extra: opt.Extra}.Normal()
	edited, err := addToSpec(base, at, asked, into, env)
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, a := range base.Asked {
		known[a.Key()] = true
	}
	return m.toSpec(ctx, at, spec, edited, resolveOptions{pre: opt.Pre, known: known, asked: asked, part: into}, decide)
}

// readWants reads the requirements of a command line.
// editable are folders whose modules are to be imported from where they stand.
func (m *Machine) readWants(ctx context.Context, wants, editable []string) ([]project.Asked, error) {
	var out []project.Asked
	for i, text := range slices.Concat(wants, editable) {
		a, err := m.readWant(ctx, text, i >= len(wants))
		if err != nil {
			return nil, err
		}
		out = merge(out, a)
	}
	return out, nil
}

// merge adds a requirement; one on a name that is there already is joined with
// it, since both must hold.
func merge(list []project.Asked, a project.Asked) []project.Asked {
	for i, b := range list {
		if b.Key() == a.Key() && a.URL == "" && b.URL == "" && a.Marker.String() == b.Marker.String() {
			list[i].Specifiers = append(append(version.Specifiers(nil), b.Specifiers...), a.Specifiers...)
			list[i].Extras = append(append([]string(nil), b.Extras...), a.Extras...)
			list[i].Text = list[i].Requirement.String()
			return list
		}
	}
	return append(list, a)
}

// environmentAt is that of a jar's interpreter.
func (m *Machine) environmentAt(ctx context.Context, at place.Place) (requirement.Environment, error) {
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return nil, err
	}
	return in.Environment(), nil
}

// addToSpec is the spec's text with the wants written in. A name that is asked
// for without anything more keeps what the spec says of it.
func addToSpec(spec *project.Spec, at place.Place, asked []project.Asked, into project.Part, env requirement.Environment) (*project.Spec, error) {
	var add []string
	files := map[string]string{} // what comes from a file of the project, and what no longer does
	folders := map[string]project.Asked{}
	for _, a := range asked {
		if bare(a) && mentions(spec, a.Key(), into, env) {
			continue
		}
		if a.Folder && at.Project != "" {
			folders[a.Key()] = a
			a.URL = ""
			add = append(add, a.Requirement.String())
			continue
		}
		local := localIn(at, a)
		if _, was := spec.Tool.FromFile[a.Key()]; was || local != "" {
			files[a.Key()] = local
		}
		if local != "" {
			a.URL = ""
		}
		add = append(add, a.Requirement.String())
	}
	if len(add) == 0 {
		return spec, nil
	}
	name := place.ProjectName(at.Root)
	if at.Project != "" {
		name = place.ProjectName(at.Project)
	}
	text, err := spec.Edit(into, add, nil, name)
	if err != nil {
		return nil, err
	}
	for _, name := range sortedNames(files) {
		key := []string{"tool", "glassjar", "from-file", name}
		if text = tomltext.Drop(text, key); files[name] != "" {
			text = tomltext.Set(text, key, tomltext.String(files[name]))
		}
	}
	if text, err = setFolders(text, at, spec, asked, folders); err != nil {
		return nil, err
	}
	return spec.With(text)
}

// setFolders writes into a spec's text which of what was asked for comes from a folder, and
// takes out what no longer does.
func setFolders(text []byte, at place.Place, spec *project.Spec, asked []project.Asked, folders map[string]project.Asked) ([]byte, error) {
	for _, a := range asked {
		key := []string{"tool", "glassjar", "from-folder", a.Key()}
		if _, was := spec.Tool.FromFolder[a.Key()]; was && !bare(a) {
			text = tomltext.Drop(text, key)
		}
		if _, ok := folders[a.Key()]; !ok {
			continue
		}
		dir, _ := metadata.PathOf(a.URL) // it was one when it was read
		rel, err := filepath.Rel(place.Real(at.Project), place.Real(dir))
		if err != nil {
			return nil, usage(OtherDisk, dir)
		}
		value := "{ path = " + tomltext.String(filepath.ToSlash(rel)) + " }"
		if a.Editable {
			value = "{ path = " + tomltext.String(filepath.ToSlash(rel)) + ", editable = true }"
		}
		text = tomltext.Set(text, key, value)
	}
	return text, nil
}

// localIn is the path, relative to the project, of the package file that a
// requirement names, if that lies in the project.
func localIn(at place.Place, a project.Asked) string {
	file, ok := metadata.PathOf(a.URL)
	if !ok || at.Project == "" || a.URL == "" {
		return ""
	}
	rel, err := filepath.Rel(place.Real(at.Project), place.Real(file))
	if err != nil || !filepath.IsLocal(rel) {
		return ""
	}
	if _, fragment, ok := strings.Cut(a.URL, "#"); ok {
		rel += "#" + fragment
	}
	return filepath.ToSlash(rel)
}

// bare reports whether nothing but a name was asked for.
func bare(a project.Asked) bool {
	return len(a.Specifiers) == 0 && a.URL == "" && len(a.Extras) == 0 && a.Marker.IsZero()
}

// mentions reports whether the spec asks for a name already, in a way that
// counts in this environment.
func mentions(spec *project.Spec, key string, into project.Part, env requirement.Environment) bool {
	for _, a := range spec.Asked {
		if a.Key() == key && a.Marker.Holds(env) && a.Part == into {
			return true
		}
	}
	return false
}

type resolveOptions struct {
	pre bool
	// asked are what the command asks for; they come first among the roots.
	asked []project.Asked
	// part is the piece of the spec that they go into, with its name in normal form.
	part project.Part
	// known are names that the spec mentioned before the command.
	known map[string]bool
	// free are names that need not keep the version that the record has.
	free map[string]bool
	// keep are versions to keep besides those of the record and the jar.
	keep map[string]version.Version
	// gone are names that the command takes out.
	gone map[string]bool
	// floor are versions below which what was asked for is not to go.
	floor map[string]version.Version
	// named are further names that the command is about.
	named map[string]bool
}

// names are all that the command is about: a change of these was asked for.
func (o resolveOptions) names() map[string]bool {
	out := map[string]bool{}
	for _, a := range o.asked {
		out[a.Key()] = true
	}
	for _, set := range []map[string]bool{o.gone, o.named} {
		for name := range set {
			out[name] = true
		}
	}
	return out
}

// typed are the names that the command line itself asks for.
func (o resolveOptions) typed() map[string]bool {
	return resolveOptions{asked: o.asked}.names()
}

// toSpec solves what the edited spec asks for and makes the jar hold it.
func (m *Machine) toSpec(ctx context.Context, at place.Place, before, spec *project.Spec, opt resolveOptions, decide Decide) (*Outcome, error) {
	p, err := m.planTo(ctx, at, before, spec, opt)
	if err != nil {
		return nil, err
	}
	out, err := m.carryOut(ctx, p, decide)
	if err == nil && out.Done {
		m.noteUnchanged(at, spec, p)
	}
	return out, err
}

// planTo is the plan that makes a jar hold what a spec asks for. Distributions
// that are in the jar but in no record were put there by other means; they are
// left alone.
func (m *Machine) planTo(ctx context.Context, at place.Place, before, spec *project.Spec, opt resolveOptions) (*job, error) {
	p, installed, err := m.newPlan(ctx, at)
	if err != nil {
		return nil, err
	}
	return p, m.planFor(ctx, p, installed, before, spec, opt)
}

// planFor fills in a plan whose interpreter is known; its jar may be there or not.
func (m *Machine) planFor(ctx context.Context, p *job, installed []jar.Installed, before, spec *project.Spec, opt resolveOptions) (err error) {
	defer func() {
		if err != nil {
			p.end()
		}
	}()
	at := p.place
	record, err := p.recorded()
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		return err
	}
	m.noteUnknown(spec)
	indexes, sampleOnly := m.indexes(spec)
	p.SampleOnly, p.catalog = sampleOnly, m.newCatalog(indexes)
	p.catalog.ReadAll = readAll(record, nil)
	b := m.withSources(p, spec, opt.typed(), record)
	for name := range opt.free {
		b.Free(name)
	}
	env := target.EnvironmentOf(p.python)
	roots := rootsOf(spec, opt)
	if err := plan.CheckPython(spec.RequiresPython, env); err != nil {
		return err
	}
	p.chosen = m.fetchEarly(p, installed)
	p.floor = opt.floor
	u, err := m.solveAll(ctx, p, spec, roots, resolve.Problem{AllowPrereleases: opt.pre, Keep: keepOf(record, installed, opt)})
	if err != nil {
		return err
	}
	if err := m.remark(ctx, p, u); err != nil {
		return err
	}
	p.parts = p.partsNow().WithPart(opt.part)
	if opt.part == (project.Part{}) && len(opt.asked) > 0 {
		p.parts.Only = false // what is asked for now is one of the dependencies, and is to come into the jar
	}
	if p.jar != nil && p.seeSystem != p.jar.State.SeeSystem {
		if err := p.rebase(at); err != nil {
			return err
		}
	}
	p.choices = u.Parts(p.parts)
	p.roots = roots
	p.versions = map[string]version.Version{}
	for _, s := range p.choices {
		p.versions[s.Name] = s.Version
	}
	if err := p.catalog.HashAll(ctx, p.choices); err != nil {
		return err
	}
	p.Asked = project.Asks(opt.asked)
	if p.write[at.RecordFile], err = m.recordText(ctx, p, spec, roots, u); err != nil {
		return err
	}
	text, err := b.SpecText(spec.Text)
	if err != nil {
		return err
	}
	if string(text) != string(before.Text) {
		p.write[spec.File] = text
	}
	inRecord := map[string]bool{}
	if record != nil {
		for _, e := range record.Packages {
			inRecord[e.Name] = true
		}
	}
	p.compare(installed, func(d jar.Installed) bool { return !inRecord[d.Key()] && !opt.gone[d.Key()] }, nil,
		plan.Aim{Named: opt.names(), Free: record == nil, Why: "nothing needs it any more"})
	return nil
}

// partsNow are the parts that the jar holds.
func (p *job) partsNow() project.Parts {
	if p.jar == nil {
		return project.Parts{}
	}
	return p.jar.State.Parts
}

// ofBase are the distributions of the base of an interpreter that a jar sees, if it was
// made to see them.
func ofBase(in interpreter.Interpreter, seeSystem bool) (map[string]catalog.Present, error) {
	out := map[string]catalog.Present{}
	if !seeSystem {
		return out, nil
	}
	for _, dir := range in.Said.SitePackages {
		list, err := jar.ReadSite(dir)
		if err != nil {
			return nil, err
		}
		for _, d := range list {
			if _, seen := out[d.Key()]; !seen && d.Damage == "" {
				out[d.Key()] = catalog.Present{Version: d.Version(), Metadata: d.Metadata}
			}
		}
	}
	return out, nil
}

// rootsOf are the command's wants, then the rest of the spec: dependencies,
// extras and groups are solved together, so that they fit together.
func rootsOf(spec *project.Spec, opt resolveOptions) []project.Asked {
	first := map[string]int{}
	for i, a := range opt.asked {
		first[a.Key()] = i + 1
	}
	var roots []project.Asked
	for _, a := range spec.Asked {
		if n := first[a.Key()]; n > 0 && !(bare(opt.asked[n-1]) && opt.known[a.Key()]) {
			a.File = "" // it is not in the file yet
		}
		roots = append(roots, a)
	}
	rank := func(a project.Asked) int {
		if n := first[a.Key()]; n > 0 {
			return n
		}
		return len(first) + 1
	}
	sort.SliceStable(roots, func(i, j int) bool { return rank(roots[i]) < rank(roots[j]) })
	return roots
}

// keepOf are the versions to prefer: the record's, else those in the jar.
func keepOf(record *project.Record, installed []jar.Installed, opt resolveOptions) map[string]version.Version {
	keep := map[string]version.Version{}
	maps.Copy(keep, opt.keep)
	for _, d := range installed {
		keep[d.Key()] = d.Version()
	}
	if record != nil {
		for _, e := range record.Packages {
			if !e.Version.IsZero() {
				keep[e.Name] = e.Version
			}
		}
	}
	for name := range opt.free {
		delete(keep, name)
	}
	return keep
}
