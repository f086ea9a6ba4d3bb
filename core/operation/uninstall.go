package operation

import (
	"context"
	"sort"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/near"
	"glassjar/core/project"
	"glassjar/core/requirement"
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
}

func (e *NotInstalledError) Error() string {
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
	gone := map[string]bool{}
	for _, n := range names {
		if !requirement.ValidName(n) {
			return nil, usage(BadDistribution, n)
		}
		gone[requirement.Normalize(n)] = true
	}
	edited, err := m.specToChange(ctx, h.place, h.spec)
	if err != nil {
		return nil, err
	}
	if err := checkThere(h.installed, edited, gone); err != nil {
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

func checkThere(installed []jar.Installed, spec *project.Spec, gone map[string]bool) error {
	there := map[string]bool{}
	var all []string
	for _, d := range installed {
		there[d.Key()] = true
		all = append(all, d.Key())
	}
	for _, a := range spec.Asked {
		there[a.Key()] = true
	}
	missing := &NotInstalledError{Near: map[string][]string{}}
	for name := range gone {
		if !there[name] {
			missing.Names = append(missing.Names, name)
			missing.Near[name] = near.Names(name, all)
		}
	}
	if len(missing.Names) > 0 {
		sort.Strings(missing.Names)
		return missing
	}
	return nil
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
