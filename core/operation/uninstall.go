package operation

import (
	"context"
	"sort"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/project"
	"glassjar/core/tomltext"
)

// StillNeededError says that distributions cannot go since others need them.
type StillNeededError struct {
	// By tells for each name what needs it; Roots are those asked for through
	// which they came.
	By    map[string][]string
	Roots []string
}

func (e *StillNeededError) Error() string {
	var parts []string
	for name, by := range e.By {
		parts = append(parts, name+" is needed by "+strings.Join(by, ", "))
	}
	sort.Strings(parts)
	return strings.Join(parts, "; ")
}

// NotInstalledError says that names are neither in the jar nor in the spec.
type NotInstalledError struct {
	Names []string
	Near  map[string][]string
	// Script is the file whose block was to mention them; empty for a jar.
	Script string
}

func (e *NotInstalledError) Error() string {
	if e.Script != "" {
		return e.Script + " does not ask for " + strings.Join(e.Names, ", ")
	}
	return "not in the jar: " + strings.Join(e.Names, ", ")
}

// Uninstall takes distributions out of a jar and its spec, and what only they
// needed.
func (m *Machine) Uninstall(ctx context.Context, ref string, names []string, decide Decide) (*Outcome, error) {
	h, err := m.beginFilled(ctx, ref)
	if err != nil {
		return nil, err
	}
	defer h.release()
	edited, err := m.specToChange(ctx, h.place, h.spec)
	if err != nil {
		return nil, err
	}
	there := namesOf(h.installed)
	for _, a := range edited.Asked {
		there[a.Key()] = true
	}
	gone, err := namedIn(names, there)
	if err != nil {
		return nil, err
	}
	if err := m.stillNeeded(ctx, h.jar, h.installed, gone); err != nil {
		return nil, err
	}
	if edited.Exists() {
		text, err := edited.Edit(project.Part{}, nil, names, "")
		if err != nil {
			return nil, err
		}
		for key, names := range map[string][]string{"from-file": sortedNames(edited.Tool.FromFile), "from-folder": sortedNames(edited.Tool.FromFolder)} {
			for _, name := range names {
				if gone[name] {
					text = tomltext.Drop(text, []string{"tool", "glassjar", key, name})
					text = tomltext.DropEmptyTable(text, []string{"tool", "glassjar", key})
				}
			}
		}
		if edited, err = h.spec.With(text); err != nil {
			return nil, err
		}
	}
	return m.toSpec(ctx, h.place, h.spec, edited, resolveOptions{gone: gone}, decide)
}

// stillNeeded refuses to take out what something that stays needs: something
// that was itself asked for, or is needed by what was.
func (m *Machine) stillNeeded(ctx context.Context, j *jar.Jar, installed []jar.Installed, gone map[string]bool) error {
	g := m.graph(ctx, j, installed)
	e := &StillNeededError{By: map[string][]string{}}
	roots := map[string]bool{}
	for name := range gone {
		for _, by := range g.NeededBy(name) {
			if over := g.WantedBy(by, gone); len(over) > 0 {
				e.By[name] = append(e.By[name], by)
				for _, root := range over {
					roots[root] = true
				}
			}
		}
	}
	if len(e.By) == 0 {
		return nil
	}
	for root := range roots {
		e.Roots = append(e.Roots, root)
	}
	sort.Strings(e.Roots)
	return e
}
