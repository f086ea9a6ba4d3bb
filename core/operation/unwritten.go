package operation

import (
	"context"
	"errors"
	"maps"
	"net/url"
	"slices"
	"strings"

	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/tomltext"
)

// specToChange is the spec that a command changes. Where it says nothing of what is
// asked for and there is a record, that is what the record holds: it was asked for
// until a person says otherwise.
func (m *Machine) specToChange(ctx context.Context, at place.Place, spec *project.Spec) (*project.Spec, error) {
	if spec.Says() {
		return spec, nil
	}
	record, err := project.ReadRecord(at.RecordFile)
	if errors.Is(err, project.ErrNoRecord) || err == nil && len(record.Packages) == 0 {
		return spec, nil
	}
	if err != nil {
		return nil, err
	}
	env, err := m.environmentAt(ctx, at)
	if err != nil {
		return nil, err
	}
	wants, files := wantsOf(record)
	if len(record.Asked) == 0 {
		wants = wantsOfForeign(record, env)
	}
	name := place.ProjectName(at.Root)
	if at.Project != "" {
		name = place.ProjectName(at.Project)
	}
	out := spec
	for _, into := range slices.SortedFunc(maps.Keys(wants), project.Part.Compare) {
		text, err := out.Edit(into, wants[into], nil, name)
		if err != nil {
			return nil, err
		}
		if out, err = spec.With(text); err != nil {
			return nil, err
		}
	}
	text := out.Text
	for _, name := range sortedNames(files) {
		text = tomltext.Set(text, []string{"tool", "glassjar", "from-file", name}, tomltext.String(files[name]))
	}
	if len(record.RequiresPython) > 0 && out.Project {
		text = tomltext.Set(text, []string{"project", "requires-python"}, tomltext.String(record.RequiresPython.String()))
	}
	return spec.With(text)
}

// wantsOf are the requirements that a record was made from; files are those of the
// project that some come from.
func wantsOf(record *project.Record) (wants map[project.Part][]string, files map[string]string) {
	wants, files = map[project.Part][]string{}, map[string]string{}
	for _, text := range record.Asked {
		into, want := project.ReadAsks(text)
		if r, err := requirement.Parse(want); err == nil && strings.HasPrefix(r.URL, "./") {
			if path, err := url.PathUnescape(r.URL[2:]); err == nil {
				files[r.Key()], r.URL = path, ""
				want = r.String()
			}
		}
		wants[into] = append(wants[into], want)
	}
	return wants, files
}

// wantsOfForeign are the entries of a record that says nothing of requirements: those
// that no other entry needs, and one of each circle of needs. An entry that applies
// with a group or an extra alone goes there.
func wantsOfForeign(record *project.Record, env requirement.Environment) map[project.Part][]string {
	needs, needed := map[string][]string{}, map[string]bool{}
	for _, p := range record.Packages {
		for _, d := range p.Dependencies {
			needs[p.Name] = append(needs[p.Name], d.Name)
			needed[d.Name] = needed[d.Name] || d.Name != p.Name
		}
	}
	out := map[project.Part][]string{}
	reached := map[string]bool{}
	var reach func(string)
	reach = func(name string) {
		if !reached[name] {
			reached[name] = true
			for _, d := range needs[name] {
				reach(d)
			}
		}
	}
	for _, circles := range []bool{false, true} {
		for _, p := range record.Packages {
			if !circles && needed[p.Name] || circles && reached[p.Name] {
				continue
			}
			reach(p.Name)
			into, want := placeOfEntry(record, p, env), p.Name
			if p.Archive != nil && p.Archive.URL != "" {
				want += " @ " + p.Archive.URL
			}
			if !slices.Contains(out[into], want) {
				out[into] = append(out[into], want)
			}
		}
	}
	return out
}

// placeOfEntry is the group or extra without which an entry does not apply.
func placeOfEntry(record *project.Record, p project.Package, env requirement.Environment) project.Part {
	if p.Marker.HoldsIn(env, nil, nil) {
		return project.Part{}
	}
	for _, g := range record.Groups {
		if p.Marker.HoldsIn(env, nil, []string{g}) {
			return project.Part{Group: g}
		}
	}
	for _, e := range record.Extras {
		if p.Marker.HoldsIn(env, []string{e}, nil) {
			return project.Part{Extra: e}
		}
	}
	return project.Part{}
}
