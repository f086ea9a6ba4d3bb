package resolve

import (
	"slices"
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

// maxEffort bounds the search of a smaller explanation, in steps of the solver.
const maxEffort = 1 << 20

// minimize leaves out each group without which the rest still cannot stand. What a new proof
// does not use goes first, then what people did not write themselves.
func (s *solver) minimize(groups []group) []group {
	left := maxEffort
	for {
		proof := s.prove(groups, &left)
		if proof == nil || 20*len(proof) > 19*len(groups) {
			break
		}
		groups = proof
	}
	needed := map[groupKey]bool{}
	for i := len(groups) - 1; i >= 0 && left > 0 && s.ctx.Err() == nil; i-- {
		if needed[groups[i].key] {
			continue
		}
		if proof := s.prove(slices.Concat(groups[:i], groups[i+1:]), &left); proof != nil {
			groups, i = proof, len(proof)
		} else {
			needed[groups[i].key] = true
		}
	}
	return groups
}

// prove finds out whether the facts of these groups alone cannot all stand, and which of them
// a proof of that uses; nil where they can, or where too much effort would be needed.
func (s *solver) prove(groups []group, left *int) []group {
	trial := newSolver(s.ctx, s.provider, s.problem, nil, nil)
	trial.problem.Learned = nil // these facts alone
	copies := map[int]*variable{}
	copied := func(v *variable) *variable {
		c, ok := copies[v.id]
		if !ok {
			c = trial.addVariable(v.name, v.extra, v.candidates)
			if c.id = v.id; v.id == s.root.id {
				c.to(only(c, 0))
			}
			copies[v.id] = c
		}
		return c
	}
	for _, g := range groups {
		for _, n := range g.facts {
			same := &nogood{fact: n.fact}
			for _, t := range n.terms {
				same.terms = append(same.terms, makeTerm(copied(t.v), t.in))
			}
			trial.add(same)
		}
	}
	defer func() { *left -= trial.ticks }()
	for trial.ended == nil && trial.ticks <= *left {
		if conflict := trial.propagate(); conflict != nil {
			if failed := trial.learn(conflict); failed != nil {
				return leaves(failed)
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
			return nil
		}
		trial.level++
		trial.shrink(open, only(open, open.domain.first()), nil)
	}
	return nil
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
