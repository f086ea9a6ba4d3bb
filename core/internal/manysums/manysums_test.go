package manysums

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// Each engine that this processor can run gives what the language's library gives, for
// messages of all lengths about a block's end, and for any number and mixture of lengths.
func TestEngines(t *testing.T) {
	random := rand.NewChaCha8([32]byte{4})
	r := rand.New(random)
	sets := [][]int{{0}, {1, 2, 3}, {1 << 20, 5}, {3 << 16, 3 << 16}}
	var about []int
	for n := range 3*sha256.BlockSize + 2 {
		about = append(about, n)
	}
	sets = append(sets, about)
	for range 200 {
		lengths := make([]int, r.IntN(70))
		for i := range lengths {
			lengths[i] = r.IntN(1 << r.IntN(16))
		}
		sets = append(sets, lengths)
	}
	for _, e := range append(engines(), best) {
		t.Run(fmt.Sprint(e.lanes), func(t *testing.T) {
			for _, lengths := range sets {
				messages, want := make([][]byte, len(lengths)), make([][sha256.Size]byte, len(lengths))
				for i, n := range lengths {
					messages[i] = make([]byte, n)
					_, _ = random.Read(messages[i])
					want[i] = sha256.Sum256(messages[i])
				}
				require.Equal(t, want, Of(messages))
				if e.lanes > 0 {
					require.Equal(t, want, sumsBy(abreast(e), messages), "%v", lengths)
				}
				require.Equal(t, want, sumsBy(func(list []*work) {
					for _, w := range list {
						w.alone()
					}
				}, messages), "%v", lengths)
			}
		})
	}
}

// abreast does work by an engine.
func abreast(e engine) func([]*work) {
	return func(list []*work) {
		e.abreast(func(int) (next *work) {
			if len(list) > 0 {
				next, list = list[0], list[1:]
			}
			return next
		}, func(*work) {})
	}
}

func sumsBy(do func([]*work), messages [][]byte) [][sha256.Size]byte {
	sums := make([][sha256.Size]byte, 0, len(messages))
	var list []*work
	for _, m := range messages {
		w := &work{}
		w.whole(m)
		list = append(list, w)
	}
	do(list)
	for _, w := range list {
		sums = append(sums, w.sum())
	}
	return sums
}

// What many goroutines ask for is answered to each of them.
func TestTogether(t *testing.T) {
	var group sync.WaitGroup
	for n := range 200 {
		group.Go(func() {
			for i := range 12 {
				message := bytes.Repeat([]byte{byte(n), byte(i)}, 10*n*i)
				want := sha256.Sum256(message)
				assert.Equal(t, want, One(message))
				h := New()
				for rest := message; len(rest) > 0; {
					part := rand.IntN(min(len(rest), 40_000) + 1)
					_, _ = h.Write(rest[:part])
					rest = rest[part:]
				}
				assert.Equal(t, want[:], h.Sum(nil))
				assert.Equal(t, want[:], h.Sum(nil), "it may be asked again")
			}
		})
	}
	group.Wait()
	waiting.Lock()
	defer waiting.Unlock()
	assert.Empty(t, waiting.list)
}

func BenchmarkOf(b *testing.B) {
	messages := make([][]byte, 64)
	for i := range messages {
		messages[i] = make([]byte, 12_000+i)
	}
	for _, e := range append(engines(), engine{}) {
		b.Run(fmt.Sprint(e.lanes), func(b *testing.B) {
			b.SetBytes(64 * 12_000)
			do := abreast(e)
			if e.lanes == 0 {
				do = func(list []*work) {
					for _, w := range list {
						w.alone()
					}
				}
			}
			for b.Loop() {
				sumsBy(do, messages)
			}
		})
	}
}
