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

// wait waits until it is done, together with what others wait for.
func (w *work) wait() {
	w.done = make(chan struct{})
	waiting.Lock()
	waiting.list = append(waiting.list, w)
	if waiting.workers < runtime.GOMAXPROCS(0) {
		waiting.workers++
		go doWaiting()
	}
	waiting.Unlock()
	<-w.done
}

// doWaiting works until nobody waits.
func doWaiting() {
	for {
		runtime.Gosched() // others may be about to ask
		waiting.Lock()
		n := min(len(waiting.list), best.lanes)
		now := waiting.list[:n:n]
		waiting.list = waiting.list[n:]
		if n == 0 {
			waiting.list = nil
			waiting.workers--
			waiting.Unlock()
			return
		}
		waiting.Unlock()
		best.do(now)
		for _, w := range now {
			close(w.done)
		}
	}
}

// One gives the SHA-256 of one message. Where several goroutines ask, theirs are hashed together.
func One(message []byte) [sha256.Size]byte {
	if best.lanes == 0 {
		return sha256.Sum256(message)
	}
	var w work
	w.whole(message)
	w.wait()
	return w.sum()
}

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
	if len(blocks) == sha256.BlockSize {
		w.alone()
	} else {
		w.wait()
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
