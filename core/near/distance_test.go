package near

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/core/project"
	_ "glassjar/internal/long"
)

// The distance with a limit is the distance, as far as the limit goes.
func TestDistanceWithin(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	word := func() string {
		b := make([]byte, r.IntN(9))
		for i := range b {
			b[i] = "abc-"[r.IntN(4)]
		}
		return string(b)
	}
	within := 0
	for range 20000 {
		a, b, limit := word(), word(), 1+r.IntN(3)
		want := project.Distance(a, b)
		if got := distance(a, b, limit); want <= limit {
			within++
			assert.Equal(t, want, got, "%q %q", a, b)
		} else {
			assert.Greater(t, got, limit, "%q %q", a, b)
		}
	}
	assert.Greater(t, within, 1000)
}
