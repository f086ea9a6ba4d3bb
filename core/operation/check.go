package operation

import (
	"bytes"
	"context"
	"errors"
	"os"
	"os/exec"
	"slices"
	"strings"
	"time"

	"glassjar/core/apply"
	"glassjar/core/graph"
	"glassjar/core/internal/patience"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
)

// Checked is what a check of a jar found.
type Checked struct {
	Jar string
	// Files is how many were compared with their hashes.
	Files  int
	Faults []jar.Fault
	// Unknown are files that belong to nothing.
	Unknown []string
	// Unmet are needs that nothing in the jar meets.
	Unmet []Unmet
	// Broken are scripts and links that lead nowhere.
	Broken []string
	// Python says what is wrong with the interpreter, empty if nothing is.
	Python string
	// Place says why the jar cannot be used where it stands, empty if it can.
	Place string
	// Step is the record's state, as in [Here].
	Step string
	// Mended tells what was put right.
	Mended []string
	// Warnings are remarks on what was installed; they are no faults of the jar.
	Warnings []string
	// Refused are distributions under licences that the spec does not allow, Known faults that are
	// known and not accepted, as far as databases of them are here.
	Refused []LicensedPackage
	Known   []KnownFault
}

// Unmet is a need and what there is instead.
type Unmet struct {
	graph.Need
	// Version is the one here, empty if the name is not here.
	Version string
}

// Clean reports whether nothing was found.
func (c *Checked) Clean() bool {
	return len(c.Faults)+len(c.Unknown)+len(c.Unmet)+len(c.Broken)+len(c.Refused)+len(c.Known) == 0 && c.Python+c.Place == "" && (c.Step == InStep || c.Step == NoRecord)
}

// Check compares a jar with what it should be. With mend, files are restored
// from the store, and what belongs to the jar itself is written anew.
func (m *Machine) Check(ctx context.Context, ref string, mend bool) (*Checked, error) {
	at, err := m.Places().Locate(ref, mend)
	if err != nil {
		return nil, err
	}
	if !mend {
		return steady(ctx, m, ref, func() (*Checked, error) { return m.examine(ctx, at) })
	}
	c, err := m.checkAndMend(ctx, at)
	if bad := spoiled(at.Root, err); bad != nil && m.madeHere(at.Root) {
		err = bad
	}
	return c, err
}

func (m *Machine) checkAndMend(ctx context.Context, at place.Place) (*Checked, error) {
	release, err := m.hold(ctx, at)
	if err != nil {
		return nil, err
	}
	defer release()
	c, err := m.examine(ctx, at)
	if err != nil || len(c.Faults)+len(c.Broken)+len(c.Unmet) == 0 && c.Python == "" {
		return c, err
	}
	j, err := m.open(at)
	if err != nil {
		return c, err
	}
	compiled, err := m.mendBytecode(j, c.Faults)
	if err != nil {
		return c, err
	}
	mended, err := m.mend(ctx, at)
	if err != nil {
		return c, err
	}
	mended = append(mended, compiled...)
	m.afterwards(at.Root)
	if c, err = m.examine(ctx, at); err == nil {
		c.Mended = mended
	}
	return c, err
}

func (m *Machine) examine(ctx context.Context, at place.Place) (*Checked, error) {
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	c := &Checked{Jar: at.Root, Faults: []jar.Fault{}, Unknown: []string{}, Unmet: []Unmet{}, Broken: append([]string{}, j.Dangling()...), Mended: []string{}, Warnings: []string{}, Refused: []LicensedPackage{}, Known: []KnownFault{}}
	var unfit *jar.PlaceError
	if errors.As(jar.Usable(j.Root), &unfit) {
		c.Place = unfit.Why
	}
	survey, err := j.Survey(installed)
	if err != nil {
		return nil, err
	}
	replaced, err := m.otherBytecode(ctx, j, installed, survey)
	if err != nil {
		return nil, err
	}
	survey.Faults = append(survey.Faults, replaced...)
	c.Broken = slices.DeleteFunc(c.Broken, func(file string) bool { return slices.Contains(survey.Unknown, file) }) // that says it all
	c.Files, c.Faults, c.Unknown = survey.Files, append(c.Faults, survey.Faults...), append(c.Unknown, survey.Unknown...)
	origins := j.Trees()
	for _, name := range sortedNames(origins) {
		c.Warnings = append(c.Warnings, m.Store.Warnings(origins[name])...)
	}
	g := m.graph(ctx, j, installed)
	needs := g.Roots()
	for _, name := range g.Names() {
		needs = append(slices.Clip(needs), g.Needs(name)...)
	}
	for _, n := range needs {
		if !g.Met(n) {
			have := ""
			if node, there := g.Node(n.To); there {
				have = node.Version.String()
			}
			c.Unmet = append(c.Unmet, Unmet{n, have})
		}
	}
	c.Python = m.pythonFault(ctx, j)
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	c.Warnings = append(c.Warnings, m.keptStandings(ctx, spec, installed)...)
	rule, err := ruleOf(spec)
	if err != nil {
		return nil, err
	}
	for _, d := range installed {
		if p := rule.judge(d.Key(), d.Version().String(), d.Metadata); !p.Allowed {
			c.Refused = append(c.Refused, p)
		}
	}
	c.Known = append(c.Known, m.keptFaults(ctx, spec, installed)...)
	record, err := project.ReadRecord(at.RecordFile)
	switch {
	case errors.Is(err, project.ErrNoRecord):
		c.Step = NoRecord
	case err != nil:
		return nil, err
	default:
		c.Step = m.step(ctx, j, installed, spec, record)
	}
	return c, nil
}

// pythonFault says what is wrong with a jar's interpreter.
func (m *Machine) pythonFault(ctx context.Context, j *jar.Jar) string {
	in, err := m.interpreterOf(ctx, j)
	var gone *jar.InterpreterGoneError
	switch {
	case errors.As(err, &gone):
		return gone.Target + " is gone"
	case err != nil:
		return err.Error()
	case in.Said.Version != j.State.Python:
		return "it is " + in.Said.Version + " now, and was " + j.State.Python + " when the jar was made"
	}
	// Where it is no link to that one, it is started. A stranger's is not.
	if _, err := os.Readlink(j.Python()); err == nil || !m.Places().MayBeUsed(j.Root) {
		return ""
	}
	var out bytes.Buffer
	if err := patience.Run(ctx, 10*time.Second, func(ctx context.Context) *exec.Cmd {
		cmd := interpreter.Isolated(ctx, j.Python(), "import os")
		cmd.Stdout, cmd.Stderr = &out, &out
		return cmd
	}); err != nil {
		return "its program does not start: " + firstLine(err.Error()+" "+out.String())
	}
	return ""
}

// pinnedIfGone is the interpreter that a jar's record pins, where the jar's own is gone.
func (m *Machine) pinnedIfGone(ctx context.Context, at place.Place) (*interpreter.Interpreter, error) {
	j, err := jar.Open(at.Root)
	if err != nil {
		return nil, err
	}
	if _, err := j.Base(); err == nil {
		return nil, nil
	}
	record, err := project.ReadRecord(at.RecordFile)
	if errors.Is(err, project.ErrNoRecord) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return m.pinnedPython(ctx, record, nil)
}

// mend restores the distributions with faults from their package files, and
// links the jar to its interpreter anew.
func (m *Machine) mend(ctx context.Context, at place.Place) ([]string, error) {
	p := newJob(at)
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if p.pinned, err = m.pinnedIfGone(ctx, at); err != nil {
		return nil, err
	}
	installed, survey, err := m.present(ctx, p, spec, "", true)
	if err != nil {
		return nil, err
	}
	p.parts = p.jar.State.Parts
	if err := p.rebase(at); err != nil {
		return nil, err
	}
	moment, _, err := p.jar.LastMoment()
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	p.catalog = m.newCatalog(indexes)
	m.withSources(p, spec, nil, nil)
	if p.choices, err = apply.Choices(moment); err != nil {
		return nil, err
	}
	survey.Unknown = nil
	p.compare(installed, func(jar.Installed) bool { return true }, survey, plan.Aim{})
	out, err := m.carryOut(ctx, p, func(*plan.Plan) (bool, error) { return true, nil })
	if err != nil {
		return nil, err
	}
	mended := append([]string{}, out.Plan.Structure...)
	for _, list := range [][]plan.Item{p.Mend, p.Add} {
		for _, i := range list {
			mended = append(mended, i.Name+" "+i.Version)
		}
	}
	return mended, nil
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return strings.TrimSpace(line)
}
