package operation

import (
	"context"

	"glassjar/core/graph"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/place"
	"glassjar/core/requirement"
)

// graph finds what needs what in a jar. Where the interpreter cannot be asked, markers
// do not count.
func (m *Machine) graph(ctx context.Context, j *jar.Jar, installed []jar.Installed) *graph.Graph {
	var nodes []graph.Node
	for _, d := range installed {
		nodes = append(nodes, graph.Node{Metadata: d.Metadata, Asked: d.Requested})
	}
	var env requirement.Environment
	if in, err := m.interpreterOf(ctx, j); err == nil {
		env = in.Environment()
		base, _ := ofBase(in, j.State.SeeSystem) // what cannot be read is not seen
		for _, p := range base {
			nodes = append(nodes, graph.Node{Metadata: p.Metadata, Base: true})
		}
	}
	var roots []graph.Root
	if spec, err := readSpec(m.Places().At(j.Root, place.Named)); err == nil {
		for _, a := range spec.Asked {
			if j.State.Parts.Has(a.Part) {
				roots = append(roots, graph.Root{Requirement: a.Requirement, Part: a.Part})
			}
		}
	}
	return graph.New(nodes, roots, graph.In(env))
}

// Why is how a distribution came into a jar.
type Why struct {
	Jar     string
	Name    string
	Version string
	// Chains lead from what was asked for to the distribution, the shortest first.
	Chains []graph.Chain
	// Versions are those in the jar of all names on the way.
	Versions map[string]string
	// More tells that there are further chains than are listed.
	More bool
	// Base tells that the jar only sees it of its base.
	Base bool
}

// Why tells by which chains a distribution came into a jar. The error is a
// [*NotInstalledError] for a name that is not there.
func (m *Machine) Why(ctx context.Context, ref, name string) (*Why, error) {
	return steady(ctx, m, ref, func() (*Why, error) { return m.why(ctx, ref, name) })
}

func (m *Machine) why(ctx context.Context, ref, name string) (*Why, error) {
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	if !requirement.ValidName(name) {
		return nil, badName(name)
	}
	g := m.graph(ctx, j, installed)
	key := requirement.Normalize(name)
	out := &Why{Jar: at.Root, Name: key, Versions: map[string]string{}, Chains: []graph.Chain{}}
	node, there := g.Node(key)
	if !there {
		return nil, &NotInstalledError{Names: []string{name}, Near: map[string][]string{name: near.Names(key, g.Names())}}
	}
	out.Version, out.Base = node.Version.String(), node.Base
	chains, more := g.Chains(key)
	out.Chains, out.More = append(out.Chains, chains...), more
	for _, c := range chains {
		for _, n := range c {
			out.Versions[n.To] = ""
			if node, there := g.Node(n.To); there {
				out.Versions[n.To] = node.Version.String()
			}
		}
	}
	return out, nil
}

func badName(name string) error {
	return usage(BadDistribution, name)
}
