package operation

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Item is one distribution of a plan.
type Item struct {
	Name string `json:"name"`
	// Version is what will be there, From what is there now; one may be empty.
	Version string `json:"version,omitempty"`
	From    string `json:"from,omitempty"`
	// Asked tells that a person asked for it; NeededBy are those that need it.
	Asked    bool     `json:"asked"`
	NeededBy []string `json:"needed_by,omitempty"`
	// Index is the name of the index it comes from; File the package file.
	Index string `json:"index,omitempty"`
	File  string `json:"file,omitempty"`
	// Size is of the package file, in bytes, -1 if not known; Here tells that it
	// is in the store.
	Size int64 `json:"size,omitempty"`
	Here bool  `json:"here,omitempty"`
	// Why says why a distribution is made anew at the same version, or goes.
	Why string `json:"why,omitempty"`
}

// Plan is what a command will do to a jar.
type Plan struct {
	Jar    string `json:"jar"`
	Python string `json:"python"`
	// Create tells that the jar will be made.
	Create bool   `json:"create"`
	Add    []Item `json:"add"`
	Change []Item `json:"change"`
	Remove []Item `json:"remove"`
	// Mend are distributions to be made anew at the version they have.
	Mend []Item `json:"mend"`
	// Drop are files that belong to nothing.
	Drop []string `json:"drop"`
	// Structure are files of the jar itself, such as pyvenv.cfg, that were put
	// right on the way.
	Structure []string `json:"structure,omitempty"`
	// Provided are distributions of the base that count as present.
	Provided []Item `json:"provided,omitempty"`
	Kept     int    `json:"kept"`
	// Fetch is how many bytes are to be transferred.
	Fetch      int64    `json:"fetch_bytes"`
	SampleOnly bool     `json:"sample_only"`
	Asked      []string `json:"asked_for,omitempty"`
	// Behind are those that an upgrade leaves behind the newest version.
	Behind []Behind `json:"behind,omitempty"`
	// Notes are remarks on what was asked for and chosen, such as an extra that
	// there is not; PassedOver are package files that were not considered; Left are
	// targets that the record does not serve.
	Notes      []string             `json:"notes"`
	PassedOver []catalog.PassedOver `json:"files_passed_over"`
	Left       []project.LeftOut    `json:"left_out"`
	// HereBytes is how many bytes of package files are in the store already.
	HereBytes int64 `json:"here_bytes"`

	place    place.Place
	jar      *jar.Jar
	python   interpreter.Interpreter
	catalog  *catalog.Catalog
	selected []selection
	removed  []jar.Installed
	marks    map[string]bool
	write    map[string][]byte
	parts    project.Parts
	// roots and versions are what was solved for and chosen; named are the names
	// that the command is about; fresh tells that there was no record.
	roots    []project.Asked
	versions map[string]version.Version
	named    map[string]bool
	fresh    bool
	// instead tells that the jar is made instead of one that stands there and is not
	// trusted.
	instead bool
	// structure are files of the jar itself that are to be put right, seeSystem
	// whether a jar that is to be made sees the packages of its base.
	structure map[string]jar.OwnFile
	seeSystem bool
	// whyRemove says why what was not named goes.
	whyRemove string
}

// chosen reports whether a part of the spec belongs into the jar.
func (p *Plan) chosen(q project.Part) bool { return p.parts.Has(q) }

// Empty reports whether nothing in the jar would change.
func (p *Plan) Empty() bool {
	return !p.Create && len(p.Add)+len(p.Change)+len(p.Remove)+len(p.Mend)+len(p.Drop) == 0
}

// FromFiles reports whether something comes out of package files: a clone takes
// what the other jar has.
func (p *Plan) FromFiles() bool {
	for _, list := range [][]Item{p.Add, p.Change, p.Mend} {
		for _, i := range list {
			if i.File != "" || i.Index != "" {
				return true
			}
		}
	}
	return false
}

// Beyond reports whether something present would be changed or removed beyond
// what was asked for. A jar that has no record yet has nothing to lose that
// somebody wrote down.
func (p *Plan) Beyond() bool {
	if p.fresh {
		return false
	}
	for _, list := range [][]Item{p.Change, p.Remove} {
		for _, i := range list {
			if !p.named[i.Name] {
				return true
			}
		}
	}
	return len(p.Drop) > 0
}

// selection is one distribution that the jar is to hold.
type selection struct {
	name     string
	version  version.Version
	file     index.File
	asked    bool
	neededBy []string
	provided bool
}

func (m *Machine) need(a project.Asked) resolve.Need {
	return resolve.Need{Name: a.Key(), Extras: a.ExtraKeys(), Specifiers: a.Specifiers, URL: a.URL, Origin: m.origin(a)}
}

// origin says where a requirement was asked for.
func (m *Machine) origin(a project.Asked) string {
	if a.File == "" {
		return "this command"
	}
	file := a.File
	if root := filepath.Dir(filepath.Dir(file)); filepath.Base(filepath.Dir(file)) == "glassjar" && jar.Exists(root) {
		return filepath.Base(root) // a jar that keeps its own spec
	}
	if rel, err := filepath.Rel(m.Dir, file); err == nil && !strings.HasPrefix(rel, "..") {
		file = rel
	}
	if a.Line > 0 {
		return fmt.Sprintf("%s, line %d", file, a.Line)
	}
	return file
}

// SolveError is a [resolve.Failure] with what a person needs to act on it.
type SolveError struct {
	*resolve.Failure
	// Environment says for which Python and system there is no solution.
	Environment string
	// Fits tells for roots of the proof, as written, which version there would be
	// if that root alone asked for any; roots that would not help are not in it.
	Fits map[string]string
	// Unasked are versions that would meet a need, in indexes that are not asked.
	Unasked []Unasked
}

func (e *SolveError) Unwrap() error { return e.Failure }

// solve finds versions for the roots in one environment.
func (m *Machine) solve(ctx context.Context, c *catalog.Catalog, env target.Environment, roots []project.Asked, problem resolve.Problem, base map[string]catalog.Present) ([]selection, *resolve.Solution, error) {
	p := &catalog.Provider{Catalog: c, Environment: env, Context: ctx, Present: base, Keep: problem.Keep}
	asked := map[string]bool{}
	for _, a := range roots {
		if !a.Marker.Holds(env.Markers) {
			continue
		}
		asked[a.Key()] = true
		problem.Roots = append(problem.Roots, m.need(a))
	}
	problem = m.solving(problem, env)
	solution, err := resolve.Solve(ctx, p, problem)
	var failure *resolve.Failure
	if errors.As(err, &failure) {
		return nil, nil, &SolveError{failure, env.Title, loosened(ctx, p, problem, failure), unasked(ctx, c, failure)}
	}
	if err != nil {
		return nil, nil, err
	}
	var out []selection
	for _, choice := range solution.Choices {
		f, err := p.File(ctx, choice.Name, choice.Version)
		if err != nil {
			return nil, nil, err
		}
		s := selection{name: choice.Name, version: choice.Version, asked: asked[choice.Name], neededBy: choice.NeededBy, provided: f == nil}
		if f != nil {
			s.file = *f
		}
		out = append(out, s)
	}
	return out, solution, nil
}

// loosened tries each root of a proof without its specifiers.
func loosened(ctx context.Context, p *catalog.Provider, problem resolve.Problem, failure *resolve.Failure) map[string]string {
	fits := map[string]string{}
	for _, f := range failure.Facts {
		if f.Name != "" || f.Unfit != resolve.Fit || len(f.Needs[0].Specifiers) == 0 {
			continue
		}
		trial := problem
		trial.Roots = append([]resolve.Need(nil), problem.Roots...)
		for i := range trial.Roots {
			if trial.Roots[i].String() == f.Needs[0].String() {
				trial.Roots[i].Specifiers = nil
			}
		}
		s, err := resolve.Solve(ctx, p, trial)
		if err != nil {
			continue
		}
		for _, c := range s.Choices {
			if c.Name == f.Needs[0].Name {
				fits[f.Needs[0].String()] = c.Version.String()
			}
		}
	}
	return fits
}

// checkNames finds all names that no index has, before any other work.
func (m *Machine) checkNames(ctx context.Context, c *catalog.Catalog, roots []project.Asked, env target.Environment, base map[string]catalog.Present, sampleOnly bool) error {
	var names []string
	for _, a := range roots {
		if _, ok := base[a.Key()]; !ok && a.Marker.Holds(env.Markers) {
			names = append(names, a.Key())
		}
	}
	return c.CheckNames(ctx, names, sampleOnly)
}

// Unasked is a version that an index has which is not asked for its name.
type Unasked struct{ Name, Version, Index string }

// unasked looks, once there is no solution, for versions that would meet a need
// in indexes that are not asked: another one comes first, or a pin says so.
func unasked(ctx context.Context, c *catalog.Catalog, failure *resolve.Failure) []Unasked {
	var out []Unasked
	seen := map[string]bool{}
	for _, f := range failure.Facts {
		for _, n := range f.Needs {
			if seen[n.Name] || len(c.Indexes.Sources) < 2 || slices.ContainsFunc(f.Offered, n.Specifiers.Holds) {
				continue
			}
			seen[n.Name] = true
			for _, s := range c.Indexes.Unasked(ctx, n.Name) {
				files, err := s.Files(ctx, n.Name)
				if err != nil {
					continue // a hint more or less
				}
				for _, r := range catalog.ByVersion(files) {
					if n.Specifiers.Admits(r.Version) {
						out = append(out, Unasked{n.Name, r.Version.String(), s.Name()})
						break
					}
				}
			}
		}
	}
	return out
}

// compare fills in what has to happen so that the jar holds the selection.
// others says what becomes of distributions that are in neither: true removes
// them. survey, if not nil, tells which files are not as they should be.
func (p *Plan) compare(installed []jar.Installed, origins map[string]string, removeOthers func(jar.Installed) bool, survey *jar.Survey) {
	have := map[string]jar.Installed{}
	for _, d := range installed {
		have[d.Key()] = d
	}
	wanted := map[string]bool{}
	var add []selection
	p.marks = map[string]bool{}
	for _, s := range p.selected {
		item := Item{Name: s.name, Version: s.version.String(), Asked: s.asked, NeededBy: s.neededBy, Index: s.file.Index, File: s.file.Name, Size: s.file.Size}
		if s.provided {
			p.Provided = append(p.Provided, item)
			continue
		}
		wanted[s.name] = true
		d, there := have[s.name]
		item.Here = p.catalog.Here(s.file)
		switch {
		case !there:
			p.Add = append(p.Add, item)
		case !d.Version().Equal(s.version):
			item.From = d.Version().String()
			p.Change = append(p.Change, item)
		case origins[s.name] != s.file.SHA256() && s.file.SHA256() != "":
			item.Why = "its files are from another package file"
			p.Mend = append(p.Mend, item)
		case d.Damage != "" || survey != nil && !survey.Whole(s.name):
			item.Why = "its files are not as they were installed"
			p.Mend = append(p.Mend, item)
		default:
			p.Kept++
			p.marks[s.name] = s.asked
			continue
		}
		p.Notes = append(p.Notes, p.catalog.Store.Warnings(s.file.SHA256())...)
		if there {
			p.removed = append(p.removed, d)
		}
		if item.Here {
			p.HereBytes += max(s.file.Size, 0)
		} else {
			p.Fetch += max(s.file.Size, 0)
		}
		add = append(add, s)
	}
	for _, d := range installed {
		if !wanted[d.Key()] && removeOthers(d) {
			p.Remove = append(p.Remove, Item{Name: d.Key(), From: d.Version().String(), Asked: p.named[d.Key()], Why: p.whyRemove})
			p.removed = append(p.removed, d)
		}
	}
	if survey != nil {
		p.Drop = survey.Unknown
	}
	p.selected = add
	for _, list := range [][]Item{p.Add, p.Change, p.Remove, p.Mend} {
		sort.Slice(list, func(i, j int) bool { return list[i].Name < list[j].Name })
	}
}

// solving is a problem with its progress told: on hard ones nothing else is heard for a
// while.
func (m *Machine) solving(p resolve.Problem, env target.Environment) resolve.Problem {
	p.Working = func(steps int) {
		m.report(progress.Event{Stage: "finding versions that fit together for " + env.Title, Done: int64(steps), Unit: "steps"})
	}
	return p
}
