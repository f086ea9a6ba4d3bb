package version

import (
	"slices"
	"sort"
	"strings"
)

// Sorted is a list of versions prepared for picking those of a set quickly.
type Sorted struct {
	final, pre []place
}

type place struct {
	key string
	at  int
}

// NewSorted prepares a list, in whatever order it is.
func NewSorted(versions []Version) *Sorted {
	s := &Sorted{final: make([]place, 0, len(versions))}
	for i, v := range versions {
		list := &s.final
		if v.IsPrerelease() {
			list = &s.pre
		}
		*list = append(*list, place{v.key, i})
	}
	order := func(a, b place) int { return strings.Compare(a.key, b.key) }
	for _, list := range [][]place{s.final, s.pre} {
		slices.Reverse(list) // the newest mostly comes first
		if !slices.IsSortedFunc(list, order) {
			slices.SortFunc(list, order)
		}
	}
	return s
}

// Each calls visit with the position, in the list given to [NewSorted], of each
// version in the set.
func (s *Sorted) Each(set Set, visit func(int)) {
	for _, one := range []struct {
		list  []place
		spans spans
	}{{s.final, set.final}, {s.pre, set.pre}} {
		for _, span := range one.spans {
			i := sort.Search(len(one.list), func(i int) bool { return one.list[i].key >= span.lo })
			for ; i < len(one.list) && one.list[i].key < span.hi; i++ {
				visit(one.list[i].at)
			}
		}
	}
}
