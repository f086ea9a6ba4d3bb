package operation

import (
	"context"
	"slices"
	"strings"

	"glassjar/core/interpreter"
	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/pack"
	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/source"
)

// PackPython packs an installed Python into a folder; python is its program, or a wish.
func (m *Machine) PackPython(ctx context.Context, python, to string, opt pack.Options) (*pack.Packed, error) {
	path := ""
	if strings.ContainsAny(python, `/\`) {
		path = m.absolute(python)
	}
	var in interpreter.Interpreter
	var err error
	if path != "" {
		in, err = m.probe(ctx, path)
	} else {
		in, _, _, err = m.choosePython(ctx, python, nil)
	}
	if err != nil {
		return nil, err
	}
	opt.Find = source.FindLibrary
	return pack.Write(ctx, in, m.absolute(to), opt)
}

// usedBy are the known jars whose base is a Python that was fetched, by its name.
func (m *Machine) usedBy() (map[string][]string, error) {
	known, err := m.Known.All()
	if err != nil {
		return nil, err
	}
	all, out := m.pythons(), map[string][]string{}
	for _, k := range known {
		j, err := jar.Open(k.Root)
		if err != nil {
			continue // it is gone, or no jar any more
		}
		base, err := j.Base()
		if err != nil {
			continue // its Python is gone
		}
		if p, ok := all.Holder(base); ok {
			out[p.Name] = append(out[p.Name], k.Root)
		}
	}
	return out, nil
}

// PythonInUseError says that jars count on a Python that is to be dropped.
type PythonInUseError struct {
	Name string
	Jars []string
}

func (e *PythonInUseError) Error() string { return e.Name + " is used by jars" }

// DroppedPython is one that was removed.
type DroppedPython struct {
	fetched.Python
	// Jars are those that counted on it.
	Jars []string
}

// DropPythons removes fetched Pythons: one by its name or version or, with unused, all that no
// known jar counts on. One that jars count on is only dropped with even.
func (m *Machine) DropPythons(ctx context.Context, name string, unused, even bool) ([]DroppedPython, error) {
	all := m.pythons()
	list, err := all.All()
	if err != nil {
		return nil, err
	}
	users, err := m.usedBy()
	if err != nil {
		return nil, err
	}
	if !unused {
		one, err := pickFetched(list, name)
		if err != nil {
			return nil, err
		}
		if jars := users[one.Name]; len(jars) > 0 && !even {
			return nil, &PythonInUseError{one.Name, jars}
		}
		list = []fetched.Python{one}
	}
	out := []DroppedPython{}
	for _, p := range list {
		if unused && len(users[p.Name]) > 0 {
			continue
		}
		if err := all.Drop(ctx, p); err != nil {
			return out, err
		}
		out = append(out, DroppedPython{p, users[p.Name]})
	}
	return out, nil
}

// pickFetched is the one of a name, or of a version that only one has.
func pickFetched(list []fetched.Python, name string) (fetched.Python, error) {
	var names []string
	var fit []fetched.Python
	for _, p := range list {
		names = append(names, p.Name)
		if p.Name == name {
			return p, nil
		}
		if p.Version == name || strings.HasPrefix(p.Name, name+"-") || strings.HasPrefix(p.Version, name+".") {
			fit = append(fit, p)
		}
	}
	switch len(fit) {
	case 0:
		return fetched.Python{}, &UsageError{Case: NoFetchedPython, Of: []string{name}, Near: near.First(name, names)}
	case 1:
		return fit[0], nil
	}
	return fetched.Python{}, usage(SeveralPythons, name, fit[0].Name)
}

// VerifiedPython is one whose files were compared with their hashes.
type VerifiedPython struct {
	fetched.Python
	Files  int
	Faults []fetched.Fault
	// Known is false where the store no longer knows what it holds.
	Known bool
}

// VerifyPythons compares fetched Pythons with what was fetched: all, or one.
func (m *Machine) VerifyPythons(ctx context.Context, name string) ([]VerifiedPython, error) {
	all := m.pythons()
	list, err := all.All()
	if err != nil {
		return nil, err
	}
	if name != "" {
		one, err := pickFetched(list, name)
		if err != nil {
			return nil, err
		}
		list = []fetched.Python{one}
	}
	out := []VerifiedPython{}
	for _, p := range list {
		v := VerifiedPython{Python: p, Faults: []fetched.Fault{}}
		var faults []fetched.Fault
		if v.Files, faults, v.Known, err = all.Verify(ctx, p); err != nil {
			return out, err
		}
		v.Faults = append(v.Faults, faults...)
		out = append(out, v)
	}
	return out, nil
}

// keepsPython reports whether a tree of the store is a fetched Python's.
func (m *Machine) keepsPython() (func(sum string) bool, error) {
	list, err := m.pythons().All()
	return func(sum string) bool {
		return slices.ContainsFunc(list, func(p fetched.Python) bool { return p.SHA256 == sum })
	}, err
}
