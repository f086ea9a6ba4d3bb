package resolve

import (
	"sort"

	"glassjar/core/version"
)

// group is facts that make one sentence: the needs of a distribution's
// versions on one other, or its versions that are unfit for one reason.
type group struct {
	key   groupKey
	facts []*nogood
	order int
}

type groupKey struct {
	name, extra, on string
	unfit           int
	root            *Need
}

func keyOf(f *fact) groupKey {
	k := groupKey{name: f.name, extra: f.extra, on: f.on.name, unfit: f.unfit}
	if f.name == "" {
		k.root = f.need
	}
	return k
}

// explain turns the derivation of the last conflict into the smallest set of
// facts that still cannot all stand.
func (s *solver) explain(failed *nogood) *Failure {
	groups := s.minimize(leaves(failed))
	failure := &Failure{}
	for _, g := range groups {
		failure.Facts = append(failure.Facts, describe(g))
	}
	return failure
}

// leaves groups the facts that a nogood was derived from.
func leaves(n *nogood) []group {
	seen := map[*nogood]bool{}
	index := map[groupKey]int{}
	var groups []group
	stack := []*nogood{n}
	for len(stack) > 0 {
		n := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if n == nil || seen[n] {
			continue
		}
		seen[n] = true
		if n.fact == nil {
			stack = append(stack, n.from[0], n.from[1])
			continue
		}
		key := keyOf(n.fact)
		i, ok := index[key]
		if !ok {
			i = len(groups)
			index[key] = i
			groups = append(groups, group{key: key, order: n.terms[0].v.id})
		}
		groups[i].facts = append(groups[i].facts, n)
	}
	// Roots first, then each distribution in the order in which it was met.
	sort.SliceStable(groups, func(i, j int) bool {
		a, b := groups[i], groups[j]
		if a.order != b.order {
			return a.order < b.order
		}
		if x, y := a.facts[0].fact.position, b.facts[0].fact.position; x != y {
			return x < y
		}
		if a.key.on != b.key.on {
			return a.key.on < b.key.on
		}
		return a.key.unfit < b.key.unfit
	})
	return groups
}

// Effort bounds for the search of a smaller explanation.
const (
	maxGroups    = 400
	maxConflicts = 3000
)

// minimize leaves out each group without which the rest still cannot stand.
// What people did not write themselves is tried first.
func (s *solver) minimize(groups []group) []group {
	if len(groups) > maxGroups {
		return groups
	}
	for i := len(groups) - 1; i >= 0 && s.ctx.Err() == nil; i-- {
		without := append(append([]group(nil), groups[:i]...), groups[i+1:]...)
		if s.impossible(without) {
			groups = without
		}
	}
	return groups
}

// impossible solves with the given facts alone.
func (s *solver) impossible(groups []group) bool {
	trial := newSolver(s.ctx, s.provider, s.problem, nil, nil)
	copies := make(map[*variable]*variable, len(s.order))
	for _, v := range s.order {
		c := trial.addVariable(v.name, v.extra, v.candidates)
		if v == s.root {
			c.to(only(c, 0))
		}
		copies[v] = c
	}
	for _, g := range groups {
		for _, n := range g.facts {
			same := &nogood{fact: n.fact}
			for _, t := range n.terms {
				same.terms = append(same.terms, makeTerm(copies[t.v], t.in))
			}
			trial.add(same)
		}
	}
	for trial.ended == nil {
		if conflict := trial.propagate(); conflict != nil {
			if trial.conflicts++; trial.conflicts > maxConflicts {
				return false
			}
			if trial.learn(conflict) != nil {
				return true
			}
			continue
		}
		var open *variable
		for _, v := range trial.order {
			if v.required() && v.size > 1 && (open == nil || v.activity > open.activity) {
				open = v
			}
		}
		if open == nil {
			return false
		}
		trial.level++
		trial.shrink(open, only(open, open.domain.first()), nil)
	}
	return false
}

func describe(g group) Fact {
	f := Fact{Name: g.key.name, Extra: g.key.extra, Unfit: g.key.unfit}
	owner := g.facts[0].terms[0].v
	values := newSet(owner.absent + 1)
	needs, details := map[string]bool{}, map[string]bool{}
	for _, n := range g.facts {
		values.add(n.fact.value)
		if need := n.fact.need; need != nil && !needs[need.String()] {
			needs[need.String()] = true
			f.Needs = append(f.Needs, *need)
		}
		if d := n.fact.detail; d != "" && !details[d] {
			details[d] = true
			f.Details = append(f.Details, d)
		}
	}
	if f.Name != "" {
		f.All = values.count() == len(owner.candidates)
		for i, c := range owner.candidates {
			if values.has(i) {
				f.Versions = append(f.Versions, c.Version)
			}
		}
		sortVersions(f.Versions)
	}
	if on := g.facts[0].fact.on; g.facts[0].fact.need != nil {
		for _, c := range on.candidates {
			if c.Unfit == Fit {
				f.Offered = append(f.Offered, c.Version)
			}
		}
		sortVersions(f.Offered)
	}
	sort.Strings(f.Details)
	return f
}

func sortVersions(list []version.Version) {
	sort.Slice(list, func(i, j int) bool { return list[i].Less(list[j]) })
}
