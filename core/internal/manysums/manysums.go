// Package manysums computes the SHA-256 (FIPS 180-4) of many messages side by side: a vector of
// the processor holds a word of each. Where the processor has instructions for SHA-256, or no
// vectors that gain anything, each message is hashed alone.
//
// A wheel is thousands of small files, each with its hash: hashing them one after another
// took a third of what a first install takes on a processor without such instructions.
package manysums

import (
	"crypto/sha256"
	"encoding/binary"
)

// Of gives the SHA-256 of each message. Where several goroutines ask, theirs are hashed together.
func Of(messages [][]byte) [][sha256.Size]byte {
	sums := make([][sha256.Size]byte, len(messages))
	if best.lanes == 0 {
		for i, m := range messages {
			sums[i] = sha256.Sum256(m)
		}
		return sums
	}
	works, list := make([]work, len(messages)), make([]*work, len(messages))
	for i, m := range messages {
		works[i].whole(m)
		list[i] = &works[i]
	}
	wait(list...)
	for i := range works {
		sums[i] = works[i].sum()
	}
	return sums
}

// engine hashes as many messages at a time as it has lanes.
type engine struct {
	lanes int
	// from is how many messages it takes to gain anything.
	from int
	// block hashes the same number of blocks of 64 bytes of each lane's message. The state is
	// eight words of each lane: those of one word stand together.
	block func(state *uint32, in *[most]*byte, blocks int)
}

// most is how many lanes an engine may have.
const most = 16

// atOnce is how many blocks of each lane are hashed by one call: the scheduler of the language
// cannot interrupt it.
const atOnce = 1 << 10

// work is a message, or a part of one, that is to be hashed.
type work struct {
	// state is what the message came to so far.
	state state
	// rest are whole blocks that are still to be hashed; end is what follows them.
	rest, end []byte
	padding   [2 * sha256.BlockSize]byte
	done      chan struct{}
}

type state [8]uint32

var initial = state{0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a, 0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19}

// whole makes it the work on a whole message.
func (w *work) whole(message []byte) {
	w.state = initial
	w.last(message, len(message))
}

// last makes it the work on the end of a message that has total bytes.
func (w *work) last(end []byte, total int) {
	whole := len(end) &^ (sha256.BlockSize - 1)
	w.padding = [len(w.padding)]byte{}
	n := copy(w.padding[:], end[whole:])
	w.padding[n] = 0x80
	w.rest, w.end = end[:whole], w.padding[:sha256.BlockSize]
	if n+1+8 > sha256.BlockSize {
		w.end = w.padding[:]
	}
	binary.BigEndian.PutUint64(w.end[len(w.end)-8:], uint64(total)<<3)
	w.moves(0)
}

// moves goes on by some blocks, and reports whether any are left.
func (w *work) moves(blocks int) bool {
	w.rest = w.rest[blocks*sha256.BlockSize:]
	if len(w.rest) == 0 {
		w.rest, w.end = w.end, nil
	}
	return len(w.rest) > 0
}

// sum is the hash of a message that was hashed to its end.
func (w *work) sum() (sum [sha256.Size]byte) {
	for i, word := range w.state {
		binary.BigEndian.PutUint32(sum[4*i:], word)
	}
	return sum
}

// abreast keeps all lanes busy as long as there is work: what ends makes room for the next. next
// gives some, being told how many lanes are busy, or nil where there is none for the moment. done
// is told what has ended.
func (e engine) abreast(next func(busy int) *work, done func(*work)) {
	var words [8 * most]uint32
	var in [most]*byte
	var lanes [most]*work
	full := 0
	for {
		blocks, busy, more := atOnce, -1, true
		for at, w := range lanes[:e.lanes] {
			if w == nil {
				if more {
					w = next(full)
					more = w != nil
				}
				if w == nil {
					continue
				}
				lanes[at] = w
				full++
				for i, word := range w.state {
					words[i*e.lanes+at] = word
				}
			}
			blocks, busy = min(blocks, len(w.rest)/sha256.BlockSize), at
		}
		if busy < 0 {
			return
		}
		for at := range e.lanes {
			w := lanes[at]
			if w == nil {
				w = lanes[busy] // an empty lane hashes what another does, for nothing
			}
			in[at] = &w.rest[0]
		}
		e.block(&words[0], &in, blocks)
		for at, w := range lanes {
			if w == nil || w.moves(blocks) {
				continue
			}
			for i := range w.state {
				w.state[i] = words[i*e.lanes+at]
			}
			lanes[at] = nil
			full--
			done(w)
		}
	}
}

// keptState begins a state as the language's library keeps it; the words follow.
const keptState = "sha\x03"

// alone hashes with the language's library, which is faster for one message.
func (w *work) alone() {
	kept := make([]byte, len(keptState)+sha256.Size+sha256.BlockSize+8)
	copy(kept, keptState)
	for i, word := range w.state {
		binary.BigEndian.PutUint32(kept[len(keptState)+4*i:], word)
	}
	h := sha256.New().(resumable)
	if err := h.UnmarshalBinary(kept); err != nil {
		panic(err) // a test holds that the library keeps it so
	}
	h.Write(w.rest)
	h.Write(w.end)
	kept, _ = h.MarshalBinary()
	for i := range w.state {
		w.state[i] = binary.BigEndian.Uint32(kept[len(keptState)+4*i:])
	}
	w.rest, w.end = nil, nil
}
