package operation

import (
	"context"
	"slices"
	"strings"
	"time"

	"glassjar/core/graph"
	"glassjar/core/jar"
)

// Report is all that a page about a jar tells. It holds no path of the machine,
// so that it can be given to others.
type Report struct {
	// Name is the jar's; Python, OS and Arch what it is for.
	Name   string
	Python string
	OS     string
	Arch   string
	Label  string
	// Step is the record's state, as in [Here].
	Step      string
	SeeSystem bool
	// Size is that of all packages in bytes, Files their number.
	Size     int64
	Files    int
	Packages []ReportPackage
	Roots    []graph.Need
	Needs    []graph.Need
}

// ReportPackage is one distribution of the page.
type ReportPackage struct {
	Entry
	// License is SPDX's expression, or the words of one that is not clear, empty where nothing is
	// said. Refused tells that the
	// spec does not allow it.
	License  string
	Refused  bool
	Maturity string
	// Faults are the identifiers of known faults that count.
	Faults []string
	// Link is its first address, if it has one.
	Link string
}

// Summarize gathers what a page about a jar tells.
func (m *Machine) Summarize(ctx context.Context, ref string) (*Report, error) {
	return steady(ctx, m, ref, func() (*Report, error) { return m.summarize(ctx, ref) })
}

func (m *Machine) summarize(ctx context.Context, ref string) (*Report, error) {
	contents, err := m.Contents(ctx, ref, "")
	if err != nil {
		return nil, err
	}
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	here, err := m.Here(ctx, ref)
	if err != nil {
		return nil, err
	}
	out := &Report{Name: at.Prompt(), Python: contents.Python, OS: j.State.OS, Arch: j.State.Arch, Label: here.Label, Step: here.Step,
		SeeSystem: j.State.SeeSystem, Packages: []ReportPackage{}, Roots: contents.Roots, Needs: contents.Needs}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	rule, err := ruleOf(spec)
	if err != nil {
		return nil, err
	}
	faults := map[string][]string{}
	for _, f := range m.keptFaults(ctx, spec, installed) {
		faults[f.Name] = append(faults[f.Name], f.ID)
	}
	g := m.graph(ctx, j, installed)
	for _, e := range contents.Entries {
		p := ReportPackage{Entry: e}
		meta, _ := g.Node(e.Name)
		judged := rule.judge(e.Name, e.Version, meta.Metadata)
		p.License, p.Refused, p.Maturity = judged.Licence.Name(), !judged.Allowed && !e.Base, maturity(meta.Metadata)
		p.Faults = append([]string{}, faults[e.Name]...)
		if len(meta.Links) > 0 {
			p.Link = meta.Links[0].URL
		}
		out.Size += e.Size
		out.Files += e.Files
		out.Packages = append(out.Packages, p)
	}
	return out, nil
}

// ShelfReport is what a page about all jars of this machine tells.
type ShelfReport struct {
	Jars []ShelfReportJar
	// Now is when it was made, UTC.
	Now time.Time
}

// ShelfReportJar is one of them.
type ShelfReportJar struct {
	Shelved
	// Holds are its distributions with their versions, by name.
	Holds []Held
}

// Held is a distribution that a jar holds.
type Held struct{ Name, Version string }

// SummarizeShelf gathers what a page about all jars tells.
func (m *Machine) SummarizeShelf(ctx context.Context) (*ShelfReport, error) {
	shelf, err := m.Shelf(ctx, 0)
	if err != nil {
		return nil, err
	}
	out := &ShelfReport{Jars: []ShelfReportJar{}, Now: m.now().UTC()}
	for _, s := range shelf.Jars {
		one := ShelfReportJar{Shelved: s, Holds: []Held{}}
		if j, err := jar.Open(s.Jar); err == nil {
			names, err := j.Names()
			if err != nil {
				return nil, err
			}
			for _, n := range names {
				one.Holds = append(one.Holds, Held{n.Name, n.Version.String()})
			}
		}
		slices.SortFunc(one.Holds, func(a, b Held) int { return strings.Compare(a.Name, b.Name) })
		out.Jars = append(out.Jars, one)
	}
	return out, ctx.Err()
}
