package resolve

import (
	"slices"
	"strings"
)

// Learned is what solving came to know that holds in every environment: needs that are not
// [Need.Here], and what follows from them without any other and without a version that is unfit
// in one environment. What one environment was solved for with much work is then known for those
// that come after it. The zero value knows nothing. It is of use for problems with the same roots,
// one after another; a root that is Here may be there or not.
type Learned struct {
	nogoods []lesson
	at      map[string][]int    // by variable: the nogoods that speak of it
	values  map[string][]string // by variable: the keys of its versions, in the order that sets have
	words   int                 // how many it takes
	facts   map[string]bool     // needs that are among them
}

// lesson is a nogood without a solver: each term's variable by its key.
type lesson []lessonTerm

type lessonTerm struct {
	key string
	in  set
}

const (
	// maxTerms is how many terms a nogood may have that is kept: long ones say little.
	maxTerms = 8
	// maxWords bounds what is kept, in words of 8 bytes; a term has some besides its set.
	maxWords    = 1 << 20
	wordsOfTerm = 10
)

func (v *variable) key() string {
	if v.extra != "" {
		return v.name + "[" + v.extra + "]"
	}
	return v.name
}

// note remembers a nogood that holds in every environment.
func (s *solver) note(n *nogood) {
	if s.problem.Learned != nil && !n.here && len(n.terms) <= maxTerms {
		s.learned = append(s.learned, n)
	}
}

// keep takes over what a solver learned.
func (l *Learned) keep(nogoods []*nogood) {
	if l.at == nil {
		l.at, l.values, l.facts = map[string][]int{}, map[string][]string{}, map[string]bool{}
	}
	for _, n := range nogoods {
		if l.words > maxWords {
			return
		}
		if n.fact != nil {
			first, last := n.terms[0], n.terms[len(n.terms)-1]
			says := strings.Join([]string{first.v.key(), first.v.candidates[n.fact.value].Version.Key(), n.fact.extra, n.fact.need.String(), last.v.key()}, " ")
			if l.facts[says] {
				continue
			}
			l.facts[says] = true
		}
		one := make(lesson, 0, len(n.terms))
		for _, t := range n.terms {
			order := l.ordering(t.v)
			if !order.ok {
				break
			}
			one = append(one, lessonTerm{t.v.key(), order.toKept(t.in)})
		}
		if len(one) < len(n.terms) {
			continue // environments differ in the versions of a name
		}
		for _, t := range one {
			l.at[t.key] = append(l.at[t.key], len(l.nogoods))
			l.words += len(t.in) + wordsOfTerm
		}
		l.nogoods = append(l.nogoods, one)
	}
}

// ordering is how a variable's values stand in the order that is kept.
type ordering struct {
	ok, same bool  // the versions are the same; so is their order
	at       []int // of each value, where it is kept
}

func (l *Learned) ordering(v *variable) *ordering {
	if v.kept != nil {
		return v.kept
	}
	mine := make([]string, len(v.candidates))
	for i, c := range v.candidates {
		mine[i] = c.Version.Key()
	}
	kept, known := l.values[v.key()]
	if !known {
		l.values[v.key()], kept = mine, mine
	}
	v.kept = &ordering{same: slices.Equal(mine, kept), ok: len(mine) == len(kept)}
	if v.kept.same {
		return v.kept
	}
	at := make(map[string]int, len(kept))
	for i, key := range kept {
		at[key] = i
	}
	for _, key := range mine {
		i, there := at[key]
		v.kept.ok = v.kept.ok && there
		v.kept.at = append(v.kept.at, i)
	}
	v.kept.at = append(v.kept.at, v.absent)
	return v.kept
}

// toKept gives a set of a variable's values in the order that is kept.
func (o *ordering) toKept(in set) set {
	if o.same {
		return in
	}
	out := make(set, len(in))
	for i, at := range o.at {
		if in.has(i) {
			out.add(at)
		}
	}
	return out
}

// fromKept gives a set that is kept in the order of the variable.
func (o *ordering) fromKept(in set) set {
	if o.same {
		return in
	}
	out := make(set, len(in))
	for i, at := range o.at {
		if in.has(at) {
			out.add(i)
		}
	}
	return out
}

// recall adds what was learned before of a new variable, as far as all others of it are here.
func (s *solver) recall(v *variable) {
	l := s.problem.Learned
	if l == nil {
		return
	}
	for _, i := range l.at[v.key()] {
		n := &nogood{}
		for _, t := range l.nogoods[i] {
			on, here := s.vars[t.key]
			if !here {
				break
			}
			order := l.ordering(on)
			if !order.ok {
				break
			}
			n.terms = append(n.terms, makeTerm(on, order.fromKept(t.in)))
		}
		if len(n.terms) == len(l.nogoods[i]) {
			s.recalled = true
			s.add(n)
		}
	}
}
