package resolve

import "sort"

// shrink makes a variable's domain smaller and remembers why.
func (s *solver) shrink(v *variable, to set, reason *nogood) {
	s.trail = append(s.trail, step{v, v.domain, s.level, reason})
	v.history = append(v.history, len(s.trail)-1)
	v.to(to)
	s.enqueue(v)
}

func (s *solver) enqueue(v *variable) {
	if !v.queued {
		v.queued = true
		s.queue = append(s.queue, v)
	}
}

// watchBy puts a nogood under the eyes of one of its terms' variables.
func (n *nogood) watchBy(t term) {
	if t.single >= 0 {
		t.v.onValue[t.single] = append(t.v.onValue[t.single], n)
	} else {
		t.v.watching = append(t.v.watching, n)
	}
}

// add takes in a new nogood. Two of its terms are watched, chosen among those
// that are not yet true; only when a watched one becomes true is there
// anything to do.
func (s *solver) add(n *nogood) {
	if n.level = s.level; n.level > 0 {
		s.deferred = append(s.deferred, n)
	}
	n.watch = [2]int{0, 0}
	// The watched terms must be those that would become untrue first on going
	// back: the untrue ones, then the latest to become true.
	if len(n.terms) > 1 {
		first, second := -1, -1
		when := func(i int) int {
			if !n.terms[i].true() {
				return len(s.trail) + 1
			}
			return s.satisfied(n.terms[i])
		}
		for i := range n.terms {
			switch {
			case first < 0 || when(i) > when(first):
				first, second = i, first
			case second < 0 || when(i) > when(second):
				second = i
			}
		}
		n.watch = [2]int{first, second}
		n.watchBy(n.terms[second])
	}
	if len(n.terms) == 0 {
		return
	}
	if len(n.terms) == 1 {
		n.watch = [2]int{}
	}
	// What says all it has to say below every decision need not be looked at again.
	if len(n.terms) > 1 || s.level > 0 {
		n.watchBy(n.terms[n.watch[0]])
	}
	// Whatever it has to say now is found when its variables are looked at.
	s.fresh = append(s.fresh, n)
}

// propagate draws the conclusions of all changes; it returns a nogood whose
// terms are all true, or nil.
func (s *solver) propagate() *nogood {
	for s.ended == nil {
		for len(s.fresh) > 0 {
			n := s.fresh[len(s.fresh)-1]
			s.fresh = s.fresh[:len(s.fresh)-1]
			if s.conclude(n) {
				return n
			}
		}
		if len(s.queue) == 0 {
			return nil
		}
		v := s.queue[0]
		s.queue = s.queue[1:]
		v.queued = false
		if conflict := s.visitAll(v, &v.watching); conflict != nil {
			return conflict
		}
		if v.size == 1 {
			if conflict := s.visitAll(v, &v.onValue[v.domain.first()]); conflict != nil {
				return conflict
			}
		}
	}
	return nil
}

// visitAll looks at a list of nogoods that watch v, and keeps those that go on
// doing so.
func (s *solver) visitAll(v *variable, watching *[]*nogood) *nogood {
	list := *watching
	kept := list[:0]
	for i, n := range list {
		moved, conflict := s.visit(n, v)
		if !moved {
			kept = append(kept, n)
		}
		if conflict {
			*watching = append(kept, list[i+1:]...)
			return n
		}
	}
	*watching = kept
	return nil
}

// visit looks at a nogood that watches v. It moves the watch to another term
// that is not true if there is one, or drops it; else the nogood says something.
func (s *solver) visit(n *nogood, v *variable) (moved, conflict bool) {
	s.tick()
	at := 0
	if n.terms[n.watch[0]].v != v {
		at = 1
	}
	if len(n.terms) > 1 && n.terms[n.watch[1-at]].false() {
		return s.level == 0, false // it is fulfilled as it is; below every decision for good
	}
	if !n.terms[n.watch[at]].true() {
		return false, false
	}
	for i, t := range n.terms {
		if i != n.watch[0] && i != n.watch[1] && !t.true() {
			n.watch[at] = i
			n.watchBy(t)
			return true, false
		}
	}
	return false, s.conclude(n)
}

// conclude handles a nogood of which at most one term is not true: that one
// must be false. It reports a conflict if all are true.
func (s *solver) conclude(n *nogood) (conflict bool) {
	open := -1
	for i, t := range n.terms {
		if !t.true() {
			if open >= 0 {
				return false
			}
			open = i
		}
	}
	if open < 0 {
		return true
	}
	t := n.terms[open]
	if !t.false() {
		s.shrink(t.v, t.v.domain.minus(t.in), n)
	}
	return false
}

// satisfied is the trail position at which a term became true, -1 if it was so
// from the start. Domains only shrink, so it is searched for by halves.
func (s *solver) satisfied(t term) int {
	h := t.v.history
	i := sort.Search(len(h), func(i int) bool { return s.trail[h[i]].before.within(t.in) })
	if i == 0 {
		return -1
	}
	return h[i-1]
}

// learn resolves a conflict with what led to it until it says something at an
// earlier level, goes back there and adds it. It returns the conflict if it
// holds without any decision: then there is no solution.
func (s *solver) learn(conflict *nogood) *nogood {
	derived := false
	for {
		s.tick()
		latest, levelBefore := -1, 0
		for _, t := range conflict.terms {
			pos := s.satisfied(t)
			if pos > latest {
				if latest >= 0 {
					levelBefore = max(levelBefore, s.trail[latest].level)
				}
				latest = pos
			} else if pos >= 0 {
				levelBefore = max(levelBefore, s.trail[pos].level)
			}
		}
		if latest < 0 {
			return conflict
		}
		cause := s.trail[latest]
		s.active(cause.v)
		if cause.reason == nil || cause.level > levelBefore && cause.level > 0 {
			s.back(min(levelBefore, cause.level-1))
			if derived {
				s.add(conflict)
				s.note(conflict)
				s.askNext(conflict)
			} else {
				s.fresh = append(s.fresh, conflict)
			}
			return nil
		}
		conflict = combine(conflict, cause.reason, cause.v)
		derived = true
	}
}

// combine is the nogood that follows from two by their common variable: where
// all else of both holds, its value is in neither set.
func combine(a, b *nogood, on *variable) *nogood {
	out := &nogood{from: [2]*nogood{a, b}, here: a.here || b.here}
	index := make(map[*variable]int, len(a.terms))
	for _, t := range a.terms {
		index[t.v] = len(out.terms)
		out.terms = append(out.terms, t)
	}
	for _, t := range b.terms {
		i, ok := index[t.v]
		switch {
		case !ok:
			out.terms = append(out.terms, t)
		case t.v == on:
			out.terms[i].in = out.terms[i].in.union(t.in)
		default:
			out.terms[i].in = out.terms[i].in.intersect(t.in)
		}
	}
	for i := range out.terms {
		out.terms[i] = makeTerm(out.terms[i].v, out.terms[i].in)
	}
	// A term that is always true says nothing.
	for i := range out.terms {
		if t := out.terms[i]; t.v == on && fullSet(on.absent+1).within(t.in) {
			out.terms = append(out.terms[:i], out.terms[i+1:]...)
			break
		}
	}
	return out
}

// back undoes all that was concluded above a level.
func (s *solver) back(level int) {
	s.level = level
	for len(s.trail) > 0 {
		last := s.trail[len(s.trail)-1]
		if last.level <= level {
			break
		}
		last.v.to(last.before)
		last.v.history = last.v.history[:len(last.v.history)-1]
		s.trail = s.trail[:len(s.trail)-1]
	}
	for _, v := range s.queue {
		v.queued = false
	}
	s.queue, s.fresh = s.queue[:0], s.fresh[:0]
	// What was learned higher up may have something to say down here already.
	late := s.deferred[:0]
	for _, n := range s.deferred {
		if n.level > level && len(n.terms) > 0 {
			n.level = level
			s.fresh = append(s.fresh, n)
		}
		if n.level > 0 {
			late = append(late, n)
		}
	}
	s.deferred = late
}

// active counts a variable's part in conflicts; later ones count more.
func (s *solver) active(v *variable) {
	v.activity += s.bump
	s.bump *= 1.02
	if s.bump > 1e100 {
		for _, w := range s.order {
			w.activity *= 1e-100
		}
		s.bump *= 1e-100
	}
}
