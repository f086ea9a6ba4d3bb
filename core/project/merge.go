package project

import (
	"bytes"
	"maps"
	"reflect"
	"slices"
	"strings"

	"glassjar/core/requirement"
	"glassjar/core/tomltext"
	"glassjar/core/version"
)

// Sides splits a text with the marks of a merge that failed into the two texts that it was to
// be made of, and that which both began with: nil where the marks do not tell. ok is false for
// a text without such marks.
func Sides(text []byte) (ours, base, theirs []byte, ok bool) {
	at, known := "", false
	var before []byte
	for line := range bytes.Lines(text) {
		mark, _, _ := strings.Cut(strings.TrimRight(string(line), "\r\n"), " ")
		switch {
		case mark == "<<<<<<<" && at == "":
			at, ok = mark, true
		case mark == "|||||||" && at == "<<<<<<<":
			at, known = mark, true
		case mark == "=======" && (at == "<<<<<<<" || at == "|||||||"):
			at = mark
		case mark == ">>>>>>>" && at == "=======":
			at = ""
		default:
			if at == "" || at == "<<<<<<<" {
				ours = append(ours, line...)
			}
			if at == "" || at == "|||||||" {
				before = append(before, line...)
			}
			if at == "" || at == "=======" {
				theirs = append(theirs, line...)
			}
		}
	}
	if known {
		base = before
	}
	return ours, base, theirs, ok && at == ""
}

// Doubled splits a spec in which what both sides of a merge added stands twice into the two specs
// that have one of them each. ok is false for a text in which nothing does.
func Doubled(text []byte) (ours, theirs []byte, ok bool) {
	return tomltext.Doubled(text, []string{"project"}, []string{"project", "optional-dependencies"}, []string{"dependency-groups"})
}

// MovedTwice is a distribution of which both sides have another version than both began with.
type MovedTwice struct {
	Name                string
	Ours, Theirs, Taken version.Version
}

// Merge is what two records ask for together that were changed from one.
type Merge struct {
	// Record has what was asked for, and of each entry the version to prefer: that of the side
	// that changed it, the newer one where both did. It is to be solved yet.
	Record *Record
	// Added and Dropped are what it asks for, and does not, other than ours.
	Added, Dropped []string
	Moved          []MovedTwice
}

// MergeRecords takes both sides' wishes; base is nil where it is not known.
func MergeRecords(base, ours, theirs *Record) Merge {
	if base == nil {
		base = &Record{Asked: both(ours.Asked, theirs.Asked), RequiresPython: ours.RequiresPython}
	}
	out := *ours
	m := Merge{Record: &out}
	out.Asked = mergeLists(base.Asked, ours.Asked, theirs.Asked)
	m.Added, m.Dropped = Lacking(out.Asked, ours.Asked), Lacking(ours.Asked, out.Asked)
	if ours.RequiresPython.String() == base.RequiresPython.String() {
		out.RequiresPython = theirs.RequiresPython
	} else if theirs.RequiresPython.String() != base.RequiresPython.String() && theirs.RequiresPython.String() != ours.RequiresPython.String() {
		if joined, err := version.ParseSpecifiers(ours.RequiresPython.String() + "," + theirs.RequiresPython.String()); err == nil {
			out.RequiresPython = joined
		}
	}
	was, a, b := entriesOf(base), entriesOf(ours), entriesOf(theirs)
	out.Packages = nil
	for _, name := range slices.Sorted(maps.Keys(join(a, b))) {
		x, y, z := a[name], b[name], was[name]
		switch {
		case x == nil:
			out.Packages = append(out.Packages, *y)
		case y == nil || x.Version.Equal(y.Version) || z != nil && y.Version.Equal(z.Version):
			out.Packages = append(out.Packages, *x)
		case z != nil && x.Version.Equal(z.Version):
			out.Packages = append(out.Packages, *y)
		default:
			taken := x
			if y.Version.Compare(x.Version) > 0 {
				taken = y
			}
			out.Packages = append(out.Packages, *taken)
			m.Moved = append(m.Moved, MovedTwice{name, x.Version, y.Version, taken.Version})
		}
	}
	out.Built = append(slices.Clone(ours.Built), slices.DeleteFunc(slices.Clone(theirs.Built), func(t Built) bool {
		return slices.ContainsFunc(ours.Built, func(o Built) bool { return o.Name == t.Name })
	})...)
	return m
}

// entriesOf are the entries of a record with a version, by name: the newest where there are
// several.
func entriesOf(r *Record) map[string]*Package {
	out := map[string]*Package{}
	for i, p := range r.Packages {
		if have := out[p.Name]; have == nil || p.Version.Compare(have.Version) > 0 {
			out[p.Name] = &r.Packages[i]
		}
	}
	return out
}

func join[V any](a, b map[string]V) map[string]V {
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}

// mergeLists has what both lists have, and what either added to the base; sorted as a record has
// it is done by whoever writes it.
func mergeLists(base, ours, theirs []string) []string {
	var out []string
	for _, s := range append(slices.Clone(ours), Lacking(theirs, ours)...) {
		if mine, his := slices.Contains(ours, s), slices.Contains(theirs, s); mine && his || !slices.Contains(base, s) {
			out = append(out, s)
		}
	}
	return out
}

// Lacking are those of a list that another lacks.
func Lacking(list, other []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(s string) bool { return slices.Contains(other, s) })
}

func both(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(s string) bool { return !slices.Contains(b, s) })
}

// Salvage is what can be told of a record that cannot be read any more: names, and the newest
// version that stands with each.
func Salvage(text []byte) *Record {
	r := &Record{}
	at := -1
	for line := range bytes.Lines(text) {
		key, value, ok := strings.Cut(strings.TrimSpace(string(line)), " = ")
		value = strings.Trim(value, `"'`)
		switch {
		case strings.HasPrefix(key, "["):
			at = -1
		case ok && key == "name" && requirement.ValidName(value):
			r.Packages, at = append(r.Packages, Package{Name: requirement.Normalize(value)}), len(r.Packages)
		case ok && key == "version" && at >= 0:
			if v, err := version.Parse(value); err == nil {
				r.Packages[at].Version = v
			}
		}
	}
	newest := entriesOf(r)
	r.Packages = nil
	for _, name := range slices.Sorted(maps.Keys(newest)) {
		if p := newest[name]; !p.Version.IsZero() {
			r.Packages = append(r.Packages, *p)
		}
	}
	return r
}

// Asking is the spec's text, changed to ask for what a record lists and nothing else. ok is false
// where that cannot be said there: what comes from a file or a folder is, only where the spec
// names that.
func (s *Spec) Asking(asked []string) (text []byte, ok bool, err error) {
	has := map[string]Asked{}
	for _, a := range s.Asked {
		has[a.Part.Asks(a.Written())] = a
	}
	changed := map[string]bool{} // names
	var remove []string
	for text, a := range has {
		if !slices.Contains(asked, text) {
			if a.Own || a.Local != "" {
				return nil, false, nil
			}
			changed[a.Key()], remove = true, append(remove, a.Name)
		}
	}
	adds := map[Part][]string{}
	parts := []Part{}
	for _, one := range asked {
		part, written := ReadAsks(one)
		r, err := requirement.Parse(written)
		if _, there := has[one]; err != nil {
			return nil, false, nil // what is of a folder has no address that the standard knows
		} else if there && !changed[r.Key()] {
			continue
		}
		if adds[part] == nil {
			parts = append(parts, part)
		}
		adds[part] = append(adds[part], written)
	}
	next := s
	if len(remove) > 0 {
		if text, err = s.Edit(Part{}, nil, remove, ""); err != nil {
			return nil, false, err
		}
		if next, err = ParseSpec(s.File, text); err != nil {
			return nil, false, err
		}
	}
	for _, part := range parts {
		if text, err = next.Edit(part, adds[part], nil, ""); err != nil {
			return nil, false, err
		}
		if next, err = ParseSpec(s.File, text); err != nil {
			return nil, false, err
		}
	}
	return next.Text, true, nil
}

// MergeSpecs is the text of ours, asking for what both sides' specs ask for together; base is nil
// where it is not known. The error is a [*FileError] where they differ in more than that: which
// of both is right, a person says.
func MergeSpecs(file string, base, ours, theirs []byte) ([]byte, error) {
	asks := func(text []byte) (*Spec, []string, error) {
		s, err := ParseSpec(file, text)
		if err != nil {
			return nil, nil, err
		}
		return s, Asks(s.Asked), nil
	}
	mine, a, err := asks(ours)
	if err != nil {
		return nil, err
	}
	_, b, err := asks(theirs)
	if err != nil {
		return nil, err
	}
	began := both(a, b)
	if base != nil {
		if _, list, err := asks(base); err == nil {
			began = list
		}
	}
	if !reflect.DeepEqual(restOf(ours), restOf(theirs)) {
		return nil, &FileError{File: file, Why: "git could not merge it, and the two sides differ in more than what they ask for: take its marks out by hand, then: glassjar record"}
	}
	text, ok, err := mine.Asking(mergeLists(began, a, b))
	if err == nil && !ok {
		err = &FileError{File: file, Why: "git could not merge it, and what comes from files or folders differs: take its marks out by hand, then: glassjar record"}
	}
	return text, err
}

// restOf is a spec without its lists of requirements.
func restOf(text []byte) map[string]any {
	all := tablesOf(text)
	delete(all, "dependency-groups")
	if p, ok := all["project"].(map[string]any); ok {
		delete(p, "dependencies")
		delete(p, "optional-dependencies")
	}
	return all
}
