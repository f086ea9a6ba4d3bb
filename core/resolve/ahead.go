package resolve

import "glassjar/core/version"

// What a provider is asked for before it is needed, so that solving waits for few answers.
// None of it changes what is chosen.

// maxAsked is how many versions' needs are asked for at once.
const maxAsked = 50

// askAhead is called before the needs of a value are asked for, which may have to be waited
// for. The same time brings those of all that would be chosen as things stand, and where the
// distribution has come to its second choice, those of its next. A problem in which conflicts
// lead from one wait to the next has more and more of all distributions asked for.
func (s *solver) askAhead(v *variable, value int) {
	if !v.expanded.empty() {
		s.askMore(v, value)
	}
	if s.conflicts == 0 || v.asked.has(value) {
		return // what stands before any conflict is what was expected
	}
	wider := 1
	if s.waited++; s.waited >= 4 && s.waited&(s.waited-1) == 0 {
		wider = min(s.waited/2, maxAsked)
	}
	for _, w := range s.order[1:] {
		if w != v && w.base == nil && w.required() {
			s.expect(w, s.unasked(w, wider))
		}
	}
}

// unasked are those of the first few values that would be chosen as things stand whose needs
// have not been asked for.
func (s *solver) unasked(v *variable, few int) (out []int) {
	for i := v.domain.first(); i < len(v.candidates) && few > 0; i++ {
		if !v.domain.has(i) {
			continue
		}
		if few--; !v.expanded.has(i) && !v.asked.has(i) {
			out = append(out, i)
		}
	}
	return out
}

// askMore has the needs of the next versions of a distribution asked for: of 2, then of 4 and so
// on. One that fails with version after version is then waited for a few times, not for each
// of them.
func (s *solver) askMore(v *variable, value int) {
	var next []int
	ready := 0
	burst := min(max(2, 2*v.burst), maxAsked)
	for i := value; i < len(v.candidates) && len(next) < burst; i++ {
		switch {
		case v.expanded.has(i) || !s.admits(v.name, v.candidates[i], false):
		case v.asked.has(i):
			if ready++; ready > v.burst/2 {
				return
			}
		default:
			next = append(next, i)
		}
	}
	v.burst = burst
	s.expect(v, next)
}

// askNext has the needs of what a conflict may lead to asked for.
func (s *solver) askNext(learned *nogood) {
	for _, t := range learned.terms {
		if t.v.base != nil || t.v == s.root {
			continue
		}
		for value := range t.v.candidates {
			if t.v.domain.has(value) && !t.v.expanded.has(value) {
				s.askMore(t.v, value)
				break
			}
		}
	}
}

func (s *solver) expect(v *variable, values []int) {
	if len(values) == 0 {
		return
	}
	var versions []version.Version
	for _, i := range values {
		v.asked.add(i)
		versions = append(versions, v.candidates[i].Version)
	}
	s.waits = append(s.waits, s.provider.ExpectVersions(v.name, versions))
}
