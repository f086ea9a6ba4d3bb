package project

import (
	"fmt"
	"slices"

	"glassjar/core/requirement"
)

// expandOwn puts what an extra of the project asks for in the place of requirements on the project
// itself with that extra, as in all = ["press[tests,docs]"], wherever they stand. One that names
// no extra that is defined here is on another distribution of the same name.
func (s *Spec) expandOwn() error {
	if !slices.ContainsFunc(s.Asked, s.asksForOwn) {
		return nil
	}
	var out []Asked
	seen := map[string]bool{}
	for _, a := range s.Asked {
		list, err := s.expanded(a, nil)
		if err != nil {
			return err
		}
		for _, one := range list {
			if text := one.Part.Asks(one.Requirement.String()); !seen[text] {
				seen[text] = true
				out = append(out, one)
			}
		}
	}
	s.Asked = out
	return nil
}

// expanded is what a requirement stands for; path are the extras that led to it.
func (s *Spec) expanded(a Asked, path []string) ([]Asked, error) {
	if !s.asksForOwn(a) {
		return []Asked{a}, nil
	}
	var out []Asked
	for _, extra := range a.ExtraKeys() {
		if !slices.Contains(s.Extras, extra) {
			return nil, s.fault(a.Part.String(), fmt.Sprintf("%s has no extra %q", s.Name, extra), a.Text)
		}
		if slices.Contains(path, extra) {
			continue
		}
		for _, inner := range s.Asked {
			if inner.Part.Extra != extra {
				continue
			}
			if !a.Marker.IsZero() {
				inner.Marker = inner.Marker.And(a.Marker)
				inner.Text = inner.Requirement.String()
			}
			inner.Part = a.Part
			list, err := s.expanded(inner, append(slices.Clone(path), extra))
			if err != nil {
				return nil, err
			}
			out = append(out, list...)
		}
	}
	return out, nil
}

func (s *Spec) asksForOwn(a Asked) bool {
	return s.Name != "" && a.URL == "" && a.Key() == requirement.Normalize(s.Name) &&
		slices.ContainsFunc(a.ExtraKeys(), func(extra string) bool { return slices.Contains(s.Extras, extra) })
}
