package operation

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/advisory"
	"glassjar/core/atomicfile"
	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
	"glassjar/sample"
)

// Advisories are known faults of what is in jars and records.
type Advisories struct {
	Of []AdvisoriesOf
	// Databases are the names of those that were looked at, Known how many advisories they have,
	// Unread what of them could not be read.
	Databases []string
	Known     int
	Unread    []string
	// Open is how many are not accepted.
	Open int
}

// AdvisoriesOf are those of a jar or of a record.
type AdvisoriesOf struct {
	Subject
	Looked int
	Faults []KnownFault
	// Err is why it could not be read.
	Err error
}

// KnownFault is one advisory about a version that is there.
type KnownFault struct {
	Name, Version string
	advisory.Advisory
	// Accepted is why a person accepts it, Until the day on which that ends; Ended tells that it has.
	Accepted string
	Until    time.Time
	Ended    bool
	// Mend is what would mend it; nil where nothing was looked for.
	Mend *Mend
}

// Open reports whether it counts.
func (f KnownFault) Open() bool { return f.Accepted == "" || f.Ended }

// Mend is the way out of a fault.
type Mend struct {
	// Nearest is the nearest newer version of which no fault is known, empty where there is none;
	// Fits the nearest that fits the spec and the rest, Moves what that would move with it.
	Nearest, Fits string
	Moves         []string
	// Against is what stands against any that mends it.
	Against string
}

// NoAdvisoriesError says that no database of advisories is set up.
type NoAdvisoriesError struct{}

func (e *NoAdvisoriesError) Error() string { return "no database of advisories is set up" }

// Advisories looks for known faults.
func (m *Machine) Advisories(ctx context.Context, opt SubjectOptions) (*Advisories, error) {
	out := &Advisories{Of: []AdvisoriesOf{}, Databases: []string{}, Unread: []string{}}
	read := &databases{m: m, read: map[string]*advisory.Database{}}
	err := m.eachSubject(ctx, opt, func(s Subject, spec *project.Spec) error {
		return m.addAdvisories(ctx, read, out, s, spec)
	}, func(s Subject, err error) {
		out.Of = append(out.Of, AdvisoriesOf{Subject: s, Faults: []KnownFault{}, Err: err})
	})
	if err == nil && len(out.Databases) == 0 && (len(out.Of) > 0 || !hasAdvisories(m.Settings.Indexes)) {
		return nil, &NoAdvisoriesError{} // no project has one, nor the user
	}
	return out, err
}

// addAdvisories adds those of one jar, or else record.
func (m *Machine) addAdvisories(ctx context.Context, read *databases, out *Advisories, s Subject, spec *project.Spec) error {
	d, names, err := read.of(ctx, spec)
	if err != nil {
		return err
	}
	have, err := s.versions()
	if err != nil {
		return err
	}
	of := AdvisoriesOf{Subject: s, Looked: len(have), Faults: m.faultsIn(d, spec, have)}
	for _, f := range of.Faults {
		if f.Open() {
			out.Open++
		}
	}
	if err := m.findMends(ctx, s, spec, d, of.Faults); err != nil {
		return err
	}
	out.Of = append(out.Of, of)
	out.Known = max(out.Known, d.Count)
	for _, name := range names {
		if !slices.Contains(out.Databases, name) {
			out.Databases = append(out.Databases, name)
		}
	}
	for _, text := range d.Unread {
		if !slices.Contains(out.Unread, text) {
			out.Unread = append(out.Unread, text)
		}
	}
	return nil
}

// faultsIn are the known faults of versions.
func (m *Machine) faultsIn(d *advisory.Database, spec *project.Spec, have []named) []KnownFault {
	out := []KnownFault{}
	for _, one := range have {
		for _, a := range d.About(one.name, one.version) {
			f := KnownFault{Name: one.name, Version: one.version.String(), Advisory: a}
			m.accept(&f, spec)
			out = append(out, f)
		}
	}
	return out
}

// keptFaults are those of a jar's contents that count, as far as databases are here or kept: nobody
// is asked.
func (m *Machine) keptFaults(ctx context.Context, spec *project.Spec, installed []jar.Installed) []KnownFault {
	offline := m.Client.Offline
	m.Client.Offline = true
	defer func() { m.Client.Offline = offline }()
	d, _, err := (&databases{m: m, read: map[string]*advisory.Database{}}).of(ctx, spec)
	if err != nil {
		return nil // none is set up, or none was looked at before
	}
	var have []named
	for _, i := range installed {
		have = append(have, named{i.Key(), i.Version()})
	}
	return slices.DeleteFunc(m.faultsIn(d, spec, have), func(f KnownFault) bool { return !f.Open() })
}

// accept fills in what the spec says of a fault, by any of its identifiers.
func (m *Machine) accept(f *KnownFault, spec *project.Spec) {
	for _, id := range f.IDs() {
		if a, ok := spec.Accepted[strings.ToUpper(id)]; ok {
			f.Accepted, f.Until, f.Ended = a.Why, a.Until.Add(-1), !m.now().Before(a.Until)
		}
	}
}

// named is a distribution with its version.
type named struct {
	name    string
	version version.Version
}

// versions are what a subject's jar holds, or else its record.
func (s Subject) versions() (out []named, err error) {
	if s.Jar != "" {
		j, err := jar.Open(s.Jar)
		if err != nil {
			return nil, err
		}
		list, err := j.Names()
		for _, n := range list {
			out = append(out, named{n.Name, n.Version})
		}
		slices.SortFunc(out, func(a, b named) int { return strings.Compare(a.name, b.name) })
		return out, err
	}
	record, err := project.ReadRecord(s.Record)
	if err != nil {
		return nil, err
	}
	for _, p := range record.Packages {
		if !p.Version.IsZero() {
			out = append(out, named{p.Name, p.Version})
		}
	}
	return out, nil
}

// databases are those that were read, by the entries that name them: jars mostly have the same.
type databases struct {
	m    *Machine
	read map[string]*advisory.Database
}

// of are those of a project and of the user, as one.
func (d *databases) of(ctx context.Context, spec *project.Spec) (*advisory.Database, []string, error) {
	var names []string
	var entries [][2]string // an entry's place, and the folder that it is seen from
	add := func(list []project.IndexEntry, base string) {
		for _, e := range list {
			if e.Holds == project.HoldsAdvisories && !slices.Contains(names, e.Name) {
				names, entries = append(names, e.Name), append(entries, [2]string{e.At, base})
			}
		}
	}
	add(spec.Tool.Indexes, spec.Dir())
	add(d.m.Settings.Indexes, filepath.Dir(d.m.Folders.Settings))
	if len(names) == 0 {
		return nil, nil, &NoAdvisoriesError{}
	}
	key := fmt.Sprint(entries)
	if all, there := d.read[key]; there {
		return all, names, nil
	}
	all := &advisory.Database{}
	for _, e := range entries {
		one, err := d.m.database(ctx, e[0], e[1])
		if err != nil {
			return nil, nil, err
		}
		all.Join(one)
	}
	d.read[key] = all
	return all, names, nil
}

// hasAdvisories reports whether one of a list of indexes is a database of known faults.
func hasAdvisories(list []project.IndexEntry) bool {
	return slices.ContainsFunc(list, func(e project.IndexEntry) bool { return e.Holds == project.HoldsAdvisories })
}

// database reads one: the sample's, a folder, a zip, or a zip at an address, which is kept as
// indexes' pages are.
func (m *Machine) database(ctx context.Context, where, base string) (*advisory.Database, error) {
	switch {
	case where == index.SampleScheme:
		d := &advisory.Database{}
		for name, data := range sample.Advisories() {
			d.Add(name, data, m.now())
		}
		return d, nil
	case index.IsAddress(where):
		data, _, err := m.Client.Read(ctx, where, "", limits.Advisories)
		if err != nil {
			return nil, err
		}
		return m.zipped(where, data)
	}
	at := place.Absolute(base, filepath.FromSlash(where))
	info, err := os.Stat(at)
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		return advisory.Folder(at, m.now())
	}
	data, err := limits.ReadFile(at, limits.Advisories)
	if err != nil {
		return nil, err
	}
	return m.zipped(at, data)
}

// zipped reads a zip, or what was kept of the same bytes: large ones take long.
func (m *Machine) zipped(name string, data []byte) (*advisory.Database, error) {
	kept := filepath.Join(m.Folders.Cache, "advisories", digest.Of(data)[:32]+".json")
	if d, err := advisory.Load(kept); err == nil {
		return d, nil
	}
	d, err := advisory.Zip(name, data, m.now())
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if d.Save(&b) == nil && len(d.Unread) == 0 {
		_ = atomicfile.Cache(kept, b.Bytes()) // next time it takes long again
	}
	return d, nil
}

// findMends finds for each fault the nearest version that has none, and whether it fits: the jar, or
// one that would be made of the record here.
func (m *Machine) findMends(ctx context.Context, s Subject, spec *project.Spec, d *advisory.Database, faults []KnownFault) error {
	if len(faults) == 0 {
		return nil
	}
	o, in, err := m.wouldHold(ctx, s, spec)
	if err != nil {
		return ctx.Err() // without a Python nothing can be said to fit
	}
	found := map[string]*Mend{}
	for i := range faults {
		f := &faults[i]
		if found[f.Name] == nil {
			if found[f.Name], err = m.findMend(ctx, o, in, d, f.Name, version.MustParse(f.Version)); err != nil {
				return err
			}
		}
		f.Mend = found[f.Name]
	}
	return nil
}

// wouldHold is what a subject is made of, and the interpreter that it has or would have.
func (m *Machine) wouldHold(ctx context.Context, s Subject, spec *project.Spec) (*onceBase, interpreter.Interpreter, error) {
	if s.Jar == "" {
		record, err := project.ReadRecord(s.Record)
		if err != nil {
			return nil, interpreter.Interpreter{}, err
		}
		in, _, _, err := m.choosePython(ctx, "", spec)
		return &onceBase{spec: spec, record: record, keep: keepOf(record, nil, resolveOptions{}), title: s.Name}, in, err
	}
	o, err := m.onceAt(ctx, m.Places().At(s.Jar, place.Named), spec, nil)
	if err != nil {
		return nil, interpreter.Interpreter{}, err
	}
	in, err := m.probe(ctx, o.base)
	return o, in, err
}

// findMend solves for a distribution in a version without known faults; of those that fit, the
// nearest.
func (m *Machine) findMend(ctx context.Context, o *onceBase, in interpreter.Interpreter, d *advisory.Database, name string, have version.Version) (*Mend, error) {
	p := newJob(place.Place{Title: o.title})
	p.python, p.seeSystem = in, o.spec.Tool.SeeSystem
	indexes, _ := m.indexes(o.spec)
	p.catalog = m.newCatalog(indexes)
	releases, _, err := p.catalog.Releases(ctx, name)
	if err != nil {
		return &Mend{Against: "its versions could not be looked at: " + err.Error()}, ctx.Err()
	}
	out, without := &Mend{}, ""
	for _, r := range slices.Backward(releases) { // the oldest first
		switch {
		case !have.Less(r.Version) || r.Version.IsPrerelease() && !have.IsPrerelease():
		case len(d.About(name, r.Version)) > 0:
			without += ",!=" + r.Version.String()
		case out.Nearest == "":
			out.Nearest = r.Version.String()
		}
	}
	if out.Nearest == "" {
		out.Against = "no newer version is known to be without it"
		return out, nil
	}
	roots := slices.Clone(o.spec.Asked)
	roots = slices.DeleteFunc(roots, func(a project.Asked) bool { return !o.parts.Has(a.Part) })
	need := resolve.Need{Name: name, Specifiers: version.MustParseSpecifiers(">=" + out.Nearest + without), Origin: "what mends it"}
	p.catalog.Oldest = map[string]bool{name: true}
	keep := maps.Clone(o.keep)
	delete(keep, name)
	base, err := ofBase(in, p.seeSystem)
	if err != nil {
		return nil, err
	}
	chosen, _, err := m.solver(ctx, p.catalog, base).Solve(ctx, target.EnvironmentOf(in), roots, resolve.Problem{Roots: []resolve.Need{need}, Keep: keep})
	var failure *plan.SolveError
	if errors.As(err, &failure) {
		out.Against = plan.Some(standing(failure, name))
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	for _, c := range chosen {
		was, had := o.keep[c.Name]
		switch {
		case c.Name == name:
			out.Fits = c.Version.String()
		case !had:
			out.Moves = append(out.Moves, c.Name+" "+c.Version.String()+" comes along")
		case !was.Equal(c.Version):
			out.Moves = append(out.Moves, c.Name+" "+was.String()+" -> "+c.Version.String())
		}
	}
	return out, nil
}

// standing are the needs of a proof that stand against a version of a name.
func standing(failure *plan.SolveError, name string) []string {
	var out []string
	for _, f := range failure.Facts {
		switch {
		case f.Unfit == resolve.Held:
			out = append(out, f.Name+" is held at "+plan.Some(f.Details))
		case f.Unfit != resolve.Fit || f.Needs[0].Origin == "what mends it":
		case f.Name == "":
			out = append(out, f.Needs[0].String()+" is asked for by "+f.Needs[0].Origin)
		default:
			out = append(out, f.Name+" needs "+f.Needs[0].String())
		}
	}
	if len(out) == 0 {
		out = append(out, "nothing newer of "+name+" fits here")
	}
	return out
}
