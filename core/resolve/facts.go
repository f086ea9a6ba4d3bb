package resolve

import "glassjar/core/version"

// only is the set of one value of a variable.
func only(v *variable, value int) set {
	one := newSet(v.absent + 1)
	one.add(value)
	return one
}

// addNeed adds the nogoods of one need of a chosen value: the value stands,
// and what it needs is absent or of another version, or lacks an extra.
func (s *solver) addNeed(v *variable, value int, extra *variable, need *Need) error {
	on, err := s.variableFor(need.Name)
	if err != nil {
		return err
	}
	s.noteAdmission(need, on)
	cause := &fact{name: v.name, value: value, need: need, on: on}
	for i := range s.problem.Roots {
		if v == s.root && need == &s.problem.Roots[i] {
			cause.position = i
		}
	}
	terms := []term{makeTerm(v, only(v, value))}
	if extra != nil {
		cause.extra = extra.extra
		terms = append(terms, makeTerm(extra, only(extra, 0)))
	}
	wrong := fullSet(on.absent + 1).minus(on.serving(need))
	if on == v {
		// A distribution that needs itself: met, or the value is impossible.
		if wrong.has(value) {
			s.addFact(terms, cause)
		}
	} else {
		s.addFact(with(terms, makeTerm(on, wrong)), cause)
	}
	for _, name := range need.Extras {
		e := s.extraOf(on, name)
		if e == extra {
			continue
		}
		s.addFact(with(terms, makeTerm(e, only(e, 1))), cause)
	}
	return nil
}

func (s *solver) addFact(terms []term, cause *fact) {
	n := &nogood{terms: terms, fact: cause, here: cause.need.Here}
	s.add(n)
	s.note(n)
}

func with(terms []term, last term) []term {
	return append(append(make([]term, 0, len(terms)+1), terms...), last)
}

// serving is the set of the values that meet a need. A direct reference is met
// by the candidate that the provider made from it, whatever its version. The
// same words are often used by many versions, so the answer is kept.
func (v *variable) serving(need *Need) set {
	text := need.Specifiers.Written()
	if need.URL != "" {
		text = "@"
	}
	if s, ok := v.served[text]; ok {
		return s
	}
	out := newSet(v.absent + 1)
	exact := false
	for _, s := range need.Specifiers {
		exact = exact || s.Operator() == version.Arbitrary
	}
	switch {
	case need.URL != "":
		out = fullSet(v.absent + 1).minus(only(v, v.absent))
	case exact: // compares text, which a set of versions cannot
		for i, c := range v.candidates {
			if need.Specifiers.Holds(c.Version) {
				out.add(i)
			}
		}
	default:
		if v.sorted == nil {
			list := make([]version.Version, len(v.candidates))
			for i, c := range v.candidates {
				list[i] = c.Version
			}
			v.sorted = version.NewSorted(list)
		}
		v.sorted.Each(need.Specifiers.Set(), out.add)
	}
	v.served[text] = out
	return out
}

func (s *solver) addUnfit(v *variable, value, unfit int, detail string) {
	s.add(&nogood{terms: []term{makeTerm(v, only(v, value))}, here: unfit != Held, fact: &fact{name: v.name, value: value, unfit: unfit, detail: detail, on: v}})
}
