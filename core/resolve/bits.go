package resolve

import "math/bits"

// set is a set of a variable's values, one bit each. The last bit of every
// domain is "absent".
type set []uint64

func newSet(n int) set { return make(set, (n+63)/64) }

func fullSet(n int) set {
	s := newSet(n)
	for i := range s {
		s[i] = ^uint64(0)
	}
	if n%64 != 0 {
		s[len(s)-1] = 1<<(n%64) - 1
	}
	return s
}

func (s set) add(i int)      { s[i/64] |= 1 << (i % 64) }
func (s set) has(i int) bool { return s[i/64]&(1<<(i%64)) != 0 }

func (s set) within(t set) bool {
	for i := range s {
		if s[i]&^t[i] != 0 {
			return false
		}
	}
	return true
}

func (s set) disjoint(t set) bool {
	for i := range s {
		if s[i]&t[i] != 0 {
			return false
		}
	}
	return true
}

func (s set) minus(t set) set {
	out := make(set, len(s))
	for i := range s {
		out[i] = s[i] &^ t[i]
	}
	return out
}

func (s set) union(t set) set {
	out := make(set, len(s))
	for i := range s {
		out[i] = s[i] | t[i]
	}
	return out
}

func (s set) intersect(t set) set {
	out := make(set, len(s))
	for i := range s {
		out[i] = s[i] & t[i]
	}
	return out
}

func (s set) empty() bool { return s.first() < 0 }

// first is the smallest member, or -1.
func (s set) first() int {
	for i, w := range s {
		if w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

func (s set) count() int {
	n := 0
	for _, w := range s {
		n += bits.OnesCount64(w)
	}
	return n
}
