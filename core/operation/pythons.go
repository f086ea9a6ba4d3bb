package operation

import (
	"context"
	"errors"
	"sort"

	"glassjar/core/interpreter"
)

// Python is one interpreter of the machine.
type Python struct {
	Version        string
	Implementation string
	// Arch is the processor, Path the program, Place where it was found.
	Arch  string
	Path  string
	Place string
	// Managed tells that the operating system manages it; it is never written to.
	Managed bool
	// Fetched is the name under which it was fetched, empty for one that was here, and
	// Jars are those that count on it then.
	Fetched string
	Jars    []string
	// Chosen tells that a jar made here would have it; Why says why.
	Chosen bool
	Why    string
}

// Pythons is what [Machine.Pythons] found.
type Pythons struct {
	Found      []Python
	PassedOver []interpreter.Rejection
	// Wish is what a jar made here asks for, and From who asks; empty for none.
	Wish string
	From string
}

// Pythons lists the interpreters of the machine, and tells which one a jar
// made here would have for a wish, or for what the spec requires.
func (m *Machine) Pythons(ctx context.Context, wish string) (*Pythons, error) {
	spec, err := m.nearestSpec()
	if err != nil {
		return nil, err
	}
	out := &Pythons{Found: []Python{}, PassedOver: []interpreter.Rejection{}}
	w, from, err := m.wish(wish, spec)
	if err != nil {
		return nil, err
	}
	out.Wish, out.From = w.Text, from
	finder := m.finder()
	all, passed := finder.All(ctx)
	out.PassedOver = append(out.PassedOver, passed...)
	chosen, why, _, err := m.pickPython(ctx, finder, w, from)
	var none *NoPythonError
	if err != nil && !errors.As(err, &none) {
		return nil, err
	}
	users, err := m.usedBy()
	if err != nil {
		return nil, err
	}
	sort.SliceStable(all, func(i, j int) bool { return all[j].Version().Less(all[i].Version()) })
	for _, f := range all {
		p := Python{Version: f.Said.Version, Implementation: f.Said.PythonImplementation, Arch: f.Arch(), Path: f.Path, Place: f.Place, Managed: f.Said.Managed}
		if own, ok := m.pythons().Holder(f.Path); ok {
			p.Fetched, p.Jars = own.Name, users[own.Name]
		}
		if none == nil && f.Path == chosen.Path {
			p.Chosen, p.Why = true, why
		}
		out.Found = append(out.Found, p)
	}
	return out, nil
}
