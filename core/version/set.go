package version

import (
	"slices"
	"sort"
	"strings"
)

// Set is a set of versions: a sorted list of disjoint, half-open intervals of
// keys. The zero value is the empty set. Sets are values: no operation
// changes its operands.
//
// PEP 440 admits pre-releases below a post-release in a way that intervals of
// the order alone cannot say ("<1.0.post5" excludes the pre-releases of 1.0
// and of each of its post-releases), so the set has one list for pre-releases
// and one for all other versions. That also makes "no pre-releases" a set
// like any other ([Finals]).
type Set struct {
	final, pre spans
}

type span struct{ lo, hi string }

type spans []span

var everything = spans{{"", after}}

// All is the set of every version.
func All() Set { return Set{everything, everything} }

// Finals is the set of every version that is not a pre-release.
func Finals() Set { return Set{final: everything} }

// Only is the set of exactly v.
func Only(v Version) Set {
	return Of(v)
}

// Of is the set of exactly the versions given.
func Of(versions ...Version) Set {
	keys := append([]Version(nil), versions...)
	sort.Slice(keys, func(i, j int) bool { return keys[i].key < keys[j].key })
	var set Set
	for _, v := range keys {
		one := span{v.key, v.key + "\x00"}
		list := &set.final
		if v.IsPrerelease() {
			list = &set.pre
		}
		if n := len(*list); n == 0 || (*list)[n-1] != one {
			*list = append(*list, one)
		}
	}
	return set
}

// between is the set of the versions with keys from lo up to but not with hi.
func between(lo, hi string) Set {
	return Set{one(finalCut(lo), finalCut(hi)), one(lo, hi)}
}

func one(lo, hi string) spans {
	if lo >= hi {
		return nil
	}
	return spans{{lo, hi}}
}

// Set is the clause as a set. Arbitrary equality compares text, which a set
// of versions cannot: it becomes the version that the text names, if any.
func (s Specifier) Set() Set {
	v := s.version
	switch s.op {
	case Arbitrary:
		if v.IsZero() {
			return Set{}
		}
		return Only(v)
	case Equal:
		return s.equalSet()
	case NotEqual:
		return s.equalSet().Complement()
	case Compatible:
		return between(v.publicKey(), prefixEnd(v.epoch, v.release[:len(v.release)-1]))
	case LessEqual:
		return between("", v.publicKey()+after)
	case GreaterEqual:
		return between(v.publicKey(), after)
	case Less:
		if v.IsPrerelease() {
			return between("", v.publicKey())
		}
		return Set{one("", finalCut(v.publicKey())), one("", v.releaseKey())}
	default:
		return s.greaterSet()
	}
}

func (s Specifier) equalSet() Set {
	v := s.version
	switch {
	case s.wildcard:
		return between(v.releaseKey(), prefixEnd(v.epoch, v.release))
	case v.local != "":
		return Only(v)
	}
	return between(v.publicKey(), v.publicKey()+after)
}

// prefixEnd cuts after every version whose release begins with these numbers.
func prefixEnd(epoch string, release []string) string {
	next := append([]string(nil), release...)
	next[len(next)-1] = increment(next[len(next)-1])
	return releaseKey(epoch, next)
}

// Contains reports whether v is in the set.
func (s Set) Contains(v Version) bool {
	list := s.final
	if v.IsPrerelease() {
		list = s.pre
	}
	i := sort.Search(len(list), func(i int) bool { return list[i].hi > v.key })
	return i < len(list) && list[i].lo <= v.key
}

// IsEmpty reports whether no version is in the set.
func (s Set) IsEmpty() bool { return len(s.final) == 0 && len(s.pre) == 0 }

// IsAll reports whether every version is in the set.
func (s Set) IsAll() bool {
	return slices.Equal(s.final, everything) && slices.Equal(s.pre, everything)
}

// Equal reports whether both sets hold the same intervals.
func (s Set) Equal(t Set) bool { return slices.Equal(s.final, t.final) && slices.Equal(s.pre, t.pre) }

// Union is the set of the versions in s or in t.
func (s Set) Union(t Set) Set { return Set{s.final.union(t.final), s.pre.union(t.pre)} }

// Intersect is the set of the versions in both.
func (s Set) Intersect(t Set) Set { return Set{s.final.intersect(t.final), s.pre.intersect(t.pre)} }

// Complement is the set of the versions that are not in s.
func (s Set) Complement() Set { return Set{s.final.complement(), s.pre.complement()} }

// Minus is the set of the versions in s that are not in t.
func (s Set) Minus(t Set) Set { return s.Intersect(t.Complement()) }

// Subset reports whether every version of s is in t.
func (s Set) Subset(t Set) bool { return s.final.subset(t.final) && s.pre.subset(t.pre) }

// Disjoint reports whether no version is in both.
func (s Set) Disjoint(t Set) bool { return s.final.disjoint(t.final) && s.pre.disjoint(t.pre) }

// Set is the clauses' intersection.
func (ss Specifiers) Set() Set {
	set := All()
	for _, s := range ss {
		set = set.Intersect(s.Set())
	}
	return set
}

func (a spans) complement() spans {
	var out spans
	lo := ""
	for _, s := range a {
		if lo < s.lo {
			out = append(out, span{lo, s.lo})
		}
		lo = s.hi
	}
	if lo < after {
		out = append(out, span{lo, after})
	}
	return out
}

func (a spans) intersect(b spans) spans {
	switch {
	case slices.Equal(a, everything):
		return b
	case slices.Equal(b, everything):
		return a
	}
	var out spans
	for i, j := 0, 0; i < len(a) && j < len(b); {
		lo, hi := max(a[i].lo, b[j].lo), min(a[i].hi, b[j].hi)
		if lo < hi {
			out = append(out, span{lo, hi})
		}
		if a[i].hi < b[j].hi {
			i++
		} else {
			j++
		}
	}
	return out
}

func (a spans) union(b spans) spans {
	var out spans
	for i, j := 0, 0; i < len(a) || j < len(b); {
		var next span
		if j == len(b) || i < len(a) && strings.Compare(a[i].lo, b[j].lo) <= 0 {
			next = a[i]
			i++
		} else {
			next = b[j]
			j++
		}
		if n := len(out); n > 0 && next.lo <= out[n-1].hi {
			out[n-1].hi = max(out[n-1].hi, next.hi)
		} else {
			out = append(out, next)
		}
	}
	return out
}

func (a spans) subset(b spans) bool {
	j := 0
	for _, s := range a {
		for j < len(b) && b[j].hi < s.hi {
			j++
		}
		if j == len(b) || b[j].lo > s.lo {
			return false
		}
	}
	return true
}

func (a spans) disjoint(b spans) bool {
	for i, j := 0, 0; i < len(a) && j < len(b); {
		if a[i].lo < b[j].hi && b[j].lo < a[i].hi {
			return false
		}
		if a[i].hi < b[j].hi {
			i++
		} else {
			j++
		}
	}
	return true
}

// greaterSet is ">V": beyond V, its local versions and, where V is none
// itself, its post-releases.
func (s Specifier) greaterSet() Set {
	v := s.version
	lo := v.publicKey() + after
	if !v.hasPost && !v.hasDev {
		lo = v.phaseKey() + after
	}
	return between(lo, after)
}
