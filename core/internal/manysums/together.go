package manysums

import (
	"crypto/sha256"
	"encoding"
	"hash"
	"io"
	"runtime"
	"sync"
)

type resumable interface {
	io.Writer
	encoding.BinaryMarshaler
	encoding.BinaryUnmarshaler
}

// waiting is the work that goroutines wait for, and how many others do it.
var waiting struct {
	sync.Mutex
	list    []*work
	workers int
}

// wait has work done, together with what others wait for.
func wait(list ...*work) {
	for _, w := range list {
		w.done = make(chan struct{})
	}
	waiting.Lock()
	waiting.list = append(waiting.list, list...)
	if waiting.workers < runtime.GOMAXPROCS(0) {
		waiting.workers++
		go doWaiting()
	}
	waiting.Unlock()
	for _, w := range list {
		<-w.done
	}
}

// doWaiting works until nobody waits.
func doWaiting() {
	for {
		first, alone, ok := firstWaiting()
		switch {
		case !ok:
			return
		case alone:
			first.alone()
			close(first.done)
		default:
			best.abreast(func(busy int) *work {
				w := first
				if first = nil; w == nil {
					w = nextWaiting(busy)
				}
				return w
			}, func(w *work) { close(w.done) })
		}
	}
}

// firstWaiting takes the first work, and tells whether there is too little to gain anything by
// doing it with others. ok is false where there is none: then this worker has ended.
func firstWaiting() (first *work, alone, ok bool) {
	runtime.Gosched() // others may be about to ask
	waiting.Lock()
	defer waiting.Unlock()
	if len(waiting.list) == 0 {
		waiting.list = nil
		waiting.workers--
		return nil, false, false
	}
	alone = len(waiting.list) < best.from
	first, waiting.list = waiting.list[0], waiting.list[1:]
	return first, alone, true
}

// nextWaiting takes the next work for one who has some already; nil where there is none.
func nextWaiting(busy int) *work {
	for again := busy > 0 && busy < best.lanes/2; ; again = false {
		waiting.Lock()
		if len(waiting.list) > 0 {
			w := waiting.list[0]
			waiting.list = waiting.list[1:]
			waiting.Unlock()
			return w
		}
		waiting.Unlock()
		if !again {
			return nil
		}
		runtime.Gosched() // others may be about to ask
	}
}

// One is [Of] one message.
func One(message []byte) [sha256.Size]byte { return Of([][]byte{message})[0] }

// New is a hash whose parts are hashed together with those of other goroutines: the larger the
// part that is written at once, the more there is to gain.
func New() hash.Hash {
	if best.lanes == 0 {
		return sha256.New()
	}
	s := &stream{}
	s.Reset()
	return s
}

// worthWaiting is how large a part must be for others to be waited for: of a small one that takes
// longer than hashing it.
const worthWaiting = 16 << 10

// stream is a message that comes in parts.
type stream struct {
	state  state
	length int
	// begun are the bytes of a block that is not whole.
	begun [sha256.BlockSize]byte
}

func (s *stream) Reset()         { *s = stream{state: initial} }
func (s *stream) Size() int      { return sha256.Size }
func (s *stream) BlockSize() int { return sha256.BlockSize }

func (s *stream) Write(p []byte) (int, error) {
	n := len(p)
	if have := s.length % sha256.BlockSize; have > 0 {
		took := copy(s.begun[have:], p)
		p = p[took:]
		s.length += took
		if have+took < sha256.BlockSize {
			return n, nil
		}
		s.add(s.begun[:])
	}
	whole := len(p) &^ (sha256.BlockSize - 1)
	s.add(p[:whole])
	copy(s.begun[:], p[whole:])
	s.length += len(p)
	return n, nil
}

// add hashes whole blocks.
func (s *stream) add(blocks []byte) {
	if len(blocks) == 0 {
		return
	}
	w := work{state: s.state, rest: blocks}
	if len(blocks) < worthWaiting {
		w.alone()
	} else {
		wait(&w)
	}
	s.state = w.state
}

func (s *stream) Sum(to []byte) []byte {
	w := work{state: s.state}
	w.last(s.begun[:s.length%sha256.BlockSize], s.length)
	w.alone()
	sum := w.sum()
	return append(to, sum[:]...)
}
