package resolve

import (
	"context"
	"errors"
	"slices"
	"sort"
	"strings"

	"glassjar/core/version"
)

// variable is a distribution, or one of its extras.
type variable struct {
	id          int
	name, extra string
	candidates  []Candidate
	sorted      *version.Sorted
	served      map[string]set  // by specifiers as written
	noted       map[string]bool // specifiers as written that were looked at for what they admit
	excludes    bool            // there are candidates that a need may admit
	absent      int             // the bit that stands for "absent"
	domain      set
	word        int   // the first word of domain that is not zero
	size        int   // how many values domain has
	history     []int // trail positions at which the domain shrank
	// watching are nogoods to look at when the domain shrinks; onValue those that
	// only say something once the variable has just that value.
	watching []*nogood
	onValue  [][]*nogood
	queued   bool
	activity float64
	root     int // position among the roots, or -1
	expanded set
	// asked are the values whose needs were asked for ahead, burst of them the last time.
	asked  set
	burst  int
	extras []*variable
	base   *variable // of an extra
	kept   *ordering // against what was learned for other environments
}

// to gives the variable a domain.
func (v *variable) to(domain set) {
	v.domain, v.word, v.size = domain, 0, domain.count()
	for v.word < len(domain)-1 && domain[v.word] == 0 {
		v.word++
	}
}

// true reports whether the term's condition holds whatever value is chosen.
func (t term) true() bool {
	if t.single >= 0 {
		return t.v.size == 1 && t.v.domain.has(t.single)
	}
	d := t.v.domain
	for i := t.v.word; i < len(d); i++ {
		if d[i]&^t.in[i] != 0 {
			return false
		}
	}
	return true
}

func (v *variable) required() bool { return !v.domain.has(v.absent) }

// term is the condition that a variable's value is in a set.
type term struct {
	v  *variable
	in set
	// single is the one value of in, or -1.
	single int
}

func makeTerm(v *variable, in set) term {
	t := term{v, in, -1}
	if in.count() == 1 {
		t.single = in.first()
	}
	return t
}

// false reports whether the term's condition cannot hold any more.
func (t term) false() bool {
	if t.single >= 0 {
		return !t.v.domain.has(t.single)
	}
	return t.v.domain.disjoint(t.in)
}

// nogood is a set of terms that cannot all be true. It is either a fact or
// derived from two others.
type nogood struct {
	terms []term
	watch [2]int
	level int  // the lowest level at which it has been looked at
	here  bool // it does not hold in every environment
	fact  *fact
	from  [2]*nogood
}

// fact is where a nogood that was not derived comes from.
type fact struct {
	name, extra string
	value       int // the candidate of name that has the need
	need        *Need
	on          *variable
	unfit       int
	detail      string
	position    int // among the roots
}

type step struct {
	v      *variable
	before set
	level  int
	reason *nogood // nil for a decision
}

type solver struct {
	ctx      context.Context
	provider Provider
	problem  Problem

	admitted, pinned       map[string]bool // keys of names, and of names with versions
	newAdmitted, newPinned map[string]bool

	vars     map[string]*variable
	order    []*variable
	trail    []step
	level    int
	queue    []*variable // whose domains shrank
	fresh    []*nogood   // to be looked at as they are
	bump     float64
	root     *variable
	deferred []*nogood // added above level 0
	learned  []*nogood // that hold in every environment
	needs    map[needKey][]Need

	decisions, conflicts int
	waits                []func() // for what was asked for ahead
	waited               int      // how often an answer may have been waited for since the first conflict

	recalled bool // something is used that was learned before
	unproven bool // there is no solution, by what was recalled

	ticks int
	ended error // of the context, once that was seen
}

// tick is called for each small piece of work, so that the end of the context is seen
// soon however hard the problem is.
func (s *solver) tick() {
	if s.ticks++; s.ticks%1024 != 0 || s.ended != nil {
		return
	}
	s.ended = s.ctx.Err()
	if s.ended == nil && s.problem.Effort > 0 && s.ticks > s.problem.Effort {
		s.ended = ErrEffort
	}
	if s.problem.Working != nil {
		s.problem.Working(s.decisions + s.conflicts)
	}
}

func newSolver(ctx context.Context, p Provider, problem Problem, admitted, pinned map[string]bool) *solver {
	return &solver{ctx: ctx, provider: p, problem: problem, admitted: admitted, pinned: pinned, bump: 1,
		newAdmitted: map[string]bool{}, newPinned: map[string]bool{}, vars: map[string]*variable{}, needs: map[needKey][]Need{}}
}

func (s *solver) run() (*Solution, error) {
	defer func() {
		for _, wait := range s.waits {
			wait()
		}
	}()
	s.root = s.addVariable("", "", []Candidate{{}})
	s.root.to(only(s.root, 0))
	s.provider.Expect(s.problem.Roots)
	for i := range s.problem.Roots {
		if err := s.addNeed(s.root, 0, nil, &s.problem.Roots[i]); err != nil {
			return nil, err
		}
		if v := s.vars[s.problem.Roots[i].Name]; v != nil && v.root < 0 {
			v.root = i
		}
	}
	for {
		conflict := s.propagate()
		s.tick()
		if s.ended != nil {
			return nil, s.ended
		}
		if conflict != nil {
			s.conflicts++
			failed := s.learn(conflict)
			if failed != nil && s.problem.Effort > 0 {
				return nil, &Failure{}
			}
			if failed != nil && s.recalled {
				s.unproven = true
				return nil, nil
			}
			if failed != nil {
				why := s.explain(failed)
				if err := s.ctx.Err(); err != nil {
					return nil, err
				}
				return nil, why
			}
			continue
		}
		if len(s.newAdmitted)+len(s.newPinned) > 0 {
			return nil, nil // to be run again
		}
		v := s.next()
		if v == nil {
			return s.solution(), nil
		}
		if err := s.ctx.Err(); err != nil {
			return nil, err
		}
		value := v.domain.first()
		if v.size > 1 {
			s.decisions++
			s.level++
			one := newSet(v.absent + 1)
			one.add(value)
			s.shrink(v, one, nil)
		}
		if err := s.expand(v, value); err != nil {
			return nil, err
		}
	}
}

// next is the variable to decide or to expand: roots in their order, then what
// conflicts have shown to matter, then what was met first.
func (s *solver) next() *variable {
	var best *variable
	for _, v := range s.order[1:] {
		if v.base != nil || !v.required() {
			continue
		}
		if v.size == 1 {
			if !s.done(v, v.domain.first()) {
				return v
			}
			continue
		}
		if best == nil || v.before(best) {
			best = v
		}
	}
	return best
}

func (v *variable) before(w *variable) bool {
	if (v.root >= 0) != (w.root >= 0) {
		return v.root >= 0
	}
	if v.root != w.root {
		return v.root < w.root
	}
	// Few values left and much part in conflicts: there a wrong turn shows soon.
	a, b := float64(v.size)*(w.activity+1), float64(w.size)*(v.activity+1)
	if a != b {
		return a < b
	}
	return v.id < w.id
}

// done reports whether the needs of this value, and of the extras that are on,
// are known.
func (s *solver) done(v *variable, value int) bool {
	if !v.expanded.has(value) {
		return false
	}
	for _, e := range v.extras {
		if e.required() && !e.expanded.has(value) {
			return false
		}
	}
	return true
}

func (s *solver) expand(v *variable, value int) error {
	if err := s.expandOne(v, value, nil); err != nil {
		return err
	}
	for _, e := range v.extras {
		if e.required() {
			if err := s.expandOne(v, value, e); err != nil {
				return err
			}
		}
	}
	return nil
}

func (s *solver) expandOne(v *variable, value int, extra *variable) error {
	owner, name := v, ""
	if extra != nil {
		owner, name = extra, extra.extra
	}
	if owner.expanded.has(value) {
		return nil
	}
	if extra == nil {
		s.askAhead(v, value)
	}
	owner.expanded.add(value)
	chosen := v.candidates[value].Version
	needs, err := s.provider.Needs(s.ctx, v.name, name, chosen)
	var unreadable *UnreadableError
	if errors.As(err, &unreadable) {
		s.addUnfit(v, value, Broken, unreadable.Err.Error())
		return nil
	}
	if err != nil {
		return err
	}
	s.needs[needKey{v.name, name, value}] = needs
	s.provider.Expect(needs)
	for i := range needs {
		if err := s.addNeed(v, value, extra, &needs[i]); err != nil {
			return err
		}
	}
	return nil
}

// needKey is what has needs: a value of a distribution, or an extra of it.
type needKey struct {
	name, extra string
	value       int
}

// variableFor makes the variable of a distribution when it is first needed.
func (s *solver) variableFor(name string) (*variable, error) {
	if v, ok := s.vars[name]; ok {
		return v, nil
	}
	offered, err := s.provider.Candidates(s.ctx, name)
	if err != nil {
		return nil, err
	}
	// What the record has comes first, whatever the provider prefers.
	list := offered
	keep, kept := s.problem.Keep[name]
	if kept {
		list = slices.Clone(offered)
		sort.SliceStable(list, func(i, j int) bool { return list[i].Version.Equal(keep) && !list[j].Version.Equal(keep) })
	}
	v := s.addVariable(name, "", list)
	for i, c := range list {
		v.excludes = v.excludes || c.Unfit == Prerelease || c.Unfit == Yanked
		if s.admits(name, c, kept && c.Version.Equal(keep)) {
			continue
		}
		s.addUnfit(v, i, c.Unfit, c.Detail)
	}
	return v, nil
}

func (s *solver) addVariable(name, extra string, candidates []Candidate) *variable {
	v := &variable{id: len(s.order), name: name, extra: extra, candidates: candidates, absent: len(candidates), root: -1, expanded: newSet(len(candidates) + 1), asked: newSet(len(candidates) + 1), onValue: make([][]*nogood, len(candidates)+1)}
	v.served, v.noted = map[string]set{}, map[string]bool{}
	v.to(fullSet(v.absent + 1))
	s.order = append(s.order, v)
	s.vars[v.key()] = v
	s.recall(v)
	return v
}

func (s *solver) extraOf(base *variable, extra string) *variable {
	if v, ok := s.vars[base.name+"["+extra+"]"]; ok {
		return v
	}
	v := s.addVariable(base.name, extra, []Candidate{{}})
	v.base = base
	v.expanded = newSet(base.absent + 1) // by the value of the base
	base.extras = append(base.extras, v)
	return v
}

// solution reads the choices off the domains.
func (s *solver) solution() *Solution {
	out := &Solution{Decisions: s.decisions, Conflicts: s.conflicts}
	neededBy := map[string][]string{}
	for _, v := range s.order[1:] {
		if v.base != nil || !v.required() {
			continue
		}
		value := v.domain.first()
		c := Choice{Name: v.name, Version: v.candidates[value].Version, Needs: s.needs[needKey{v.name, "", value}]}
		for _, e := range v.extras {
			if e.required() {
				c.Extras = append(c.Extras, e.extra)
				if c.ByExtra == nil {
					c.ByExtra = map[string][]Need{"": c.Needs}
				}
				c.ByExtra[e.extra] = s.needs[needKey{v.name, e.extra, value}]
				c.Needs = append(c.Needs[:len(c.Needs):len(c.Needs)], c.ByExtra[e.extra]...)
			}
		}
		sort.Strings(c.Extras)
		for _, n := range c.Needs {
			if n.Name != v.name {
				neededBy[n.Name] = append(neededBy[n.Name], v.name)
			}
		}
		out.Choices = append(out.Choices, c)
	}
	slices.SortFunc(out.Choices, func(a, b Choice) int { return strings.Compare(a.Name, b.Name) })
	for i := range out.Choices {
		by := neededBy[out.Choices[i].Name]
		slices.Sort(by)
		out.Choices[i].NeededBy = slices.Compact(by)
	}
	return out
}
