package index

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"runtime"
	"slices"
	"sync"

	"glassjar/core/guard"
)

// runLength is how many names are sorted at a time.
const runLength = 1 << 14

// sorter sorts names while others still come, on whichever processor has nothing to do. Half a million
// strings take longer to sort, and to look through for what can be freed, than their transfer takes: so
// they lie in few texts.
type sorter struct {
	group *guard.Group
	count int
	next  sortedNames // not sorted yet

	mu sync.Mutex
	// levels are sorted, each of about twice as many names as that before it; empty where there is none.
	levels [32]sortedNames
}

// sortedNames are names one after another, a line each, and where each line ends.
type sortedNames struct {
	text []byte
	ends []uint32
}

func newSorter() *sorter {
	s := &sorter{group: guard.New()}
	s.group.SetLimit(runtime.GOMAXPROCS(0))
	return s
}

func (s *sorter) add(name string) {
	s.next.text = append(s.next.text, name...)
	s.next.end()
	if s.count++; len(s.next.ends) == runLength {
		s.sortNext()
	}
}

func (s *sorter) sortNext() {
	next := s.next
	s.next = sortedNames{text: make([]byte, 0, cap(next.text)), ends: make([]uint32, 0, runLength)}
	s.group.Go(func() error {
		s.put(next.sorted())
		return nil
	})
}

// put joins what is sorted with what there is of its length.
func (s *sorter) put(run sortedNames) {
	for level := range s.levels {
		s.mu.Lock()
		other := s.levels[level]
		s.levels[level] = sortedNames{}
		if len(other.ends) == 0 {
			s.levels[level] = run
		}
		s.mu.Unlock()
		if len(other.ends) == 0 {
			return
		}
		run = joined(other, run)
	}
}

// text is all that was added, sorted, a line for each name. The error is that of a fault of this
// program.
func (s *sorter) text() ([]byte, error) {
	if err := s.group.Wait(); err != nil {
		return nil, err
	}
	all := s.next.sorted()
	for _, run := range s.levels {
		all = joined(all, run)
	}
	return all.text, nil
}

func (n *sortedNames) add(name []byte) {
	n.text = append(n.text, name...)
	n.end()
}

// end ends the line that was begun.
func (n *sortedNames) end() {
	n.ends = append(n.ends, uint32(len(n.text)))
	n.text = append(n.text, '\n')
}

// more adds all of another list from the name at a place on.
func (n *sortedNames) more(other sortedNames, from int) {
	if from == len(other.ends) {
		return
	}
	start := other.start(from)
	shift := uint32(len(n.text)) - uint32(start)
	n.text = append(n.text, other.text[start:]...)
	for _, end := range other.ends[from:] {
		n.ends = append(n.ends, end+shift)
	}
}

func (n sortedNames) start(i int) int {
	if i == 0 {
		return 0
	}
	return int(n.ends[i-1]) + 1
}

func (n sortedNames) name(i int) []byte { return n.text[n.start(i):n.ends[i]] }

// before reports whether all names come before those of another list; neither is empty.
func (n sortedNames) before(other sortedNames) bool {
	return bytes.Compare(n.name(len(n.ends)-1), other.name(0)) < 0
}

// sorted are the names in their order, each once.
func (n sortedNames) sorted() sortedNames {
	type place struct {
		first uint64 // the first bytes, which mostly tell
		i     int
	}
	places := make([]place, len(n.ends))
	inOrder := true
	for i := range places {
		var first [8]byte
		copy(first[:], n.name(i))
		places[i] = place{binary.BigEndian.Uint64(first[:]), i}
		inOrder = inOrder && (i == 0 || bytes.Compare(n.name(i-1), n.name(i)) < 0)
	}
	if inOrder {
		return n
	}
	slices.SortFunc(places, func(a, b place) int {
		if a.first != b.first {
			return cmp.Compare(a.first, b.first)
		}
		return bytes.Compare(n.name(a.i), n.name(b.i))
	})
	out := sortedNames{make([]byte, 0, len(n.text)), make([]uint32, 0, len(n.ends))}
	for at, p := range places {
		if at == 0 || !bytes.Equal(n.name(p.i), n.name(places[at-1].i)) {
			out.add(n.name(p.i))
		}
	}
	return out
}

// joined are the names of two sorted lists, sorted, each once.
func joined(a, b sortedNames) sortedNames {
	if len(a.ends) == 0 {
		return b
	}
	if len(b.ends) == 0 {
		return a
	}
	out := sortedNames{make([]byte, 0, len(a.text)+len(b.text)), make([]uint32, 0, len(a.ends)+len(b.ends))}
	i, k := 0, 0
	if b.before(a) { // mostly they come sorted, and either may have been done first
		a, b = b, a
	}
	if a.before(b) {
		out.more(a, 0)
		i = len(a.ends)
	}
	for i < len(a.ends) && k < len(b.ends) {
		order := bytes.Compare(a.name(i), b.name(k))
		if order <= 0 {
			out.add(a.name(i))
			i++
		} else {
			out.add(b.name(k))
		}
		if order >= 0 {
			k++
		}
	}
	out.more(a, i)
	out.more(b, k)
	return out
}
