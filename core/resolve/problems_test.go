package resolve_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/resolve"
	"glassjar/core/version"
	_ "glassjar/internal/long"
	"glassjar/internal/problems"
)

func TestVerdicts(t *testing.T) {
	all, err := problems.All()
	require.NoError(t, err)
	require.Len(t, all, 84)
	for _, p := range all {
		t.Run(p.ID, func(t *testing.T) {
			s, err := resolve.Solve(context.Background(), p, resolve.Problem{Roots: p.Roots})
			var failure *resolve.Failure
			if p.Expected.Satisfiable {
				require.NoError(t, err)
				valid(t, p, p.Roots, s)
				return
			}
			require.True(t, errors.As(err, &failure), "it has no solution")
			require.NotEmpty(t, failure.Facts)
			if p.ID == "pigeonhole-7" {
				_, err = resolve.Solve(context.Background(), p, resolve.Problem{Roots: p.Roots, Effort: 1 << 30})
				require.True(t, errors.As(err, &failure))
				assert.Empty(t, failure.Facts, "nobody is to be told")
				_, err = resolve.Solve(context.Background(), p, resolve.Problem{Roots: p.Roots, Effort: 5000})
				assert.ErrorIs(t, err, resolve.ErrEffort)
			}
		})
	}
}

// waiting counts how often the needs of a version were neither asked for ahead nor known.
type waiting struct {
	*catalogue
	ahead, known, ended map[string]bool
	waits, largest      int
}

func (w *waiting) Needs(ctx context.Context, name, extra string, v version.Version) ([]resolve.Need, error) {
	at := name + " " + v.String()
	if !w.ahead[at] && !w.known[at] {
		w.waits++
	}
	w.known[at] = true
	return w.catalogue.Needs(ctx, name, extra, v)
}

func (w *waiting) ExpectVersions(name string, versions []version.Version) func() {
	for _, v := range versions {
		w.ahead[name+" "+v.String()] = true
	}
	w.largest = max(w.largest, len(versions))
	burst := fmt.Sprint(name, len(w.ended))
	w.ended[burst] = false
	return func() { w.ended[burst] = true }
}

// A kit whose releases each pin a core that does not fit is waited for a few times, not for
// each release; where nothing fails nothing more is asked for than is needed.
func TestWhatFailsIsAskedForInGrowingBursts(t *testing.T) {
	var lines []string
	for i := range 400 {
		lines = append(lines, fmt.Sprintf("kit %d -> core==%d", i, i), fmt.Sprintf("core %d -> shared>=%d", i, min(i, 2)))
	}
	lines = append(lines, "shared 1", "shared 2", "app 1 -> shared<2", "calm 1 -> quiet", "quiet 1", "quiet 2")
	w := &waiting{catalogue: read(strings.Join(lines, "\n")), ahead: map[string]bool{}, known: map[string]bool{}, ended: map[string]bool{}}
	s, err := resolve.Solve(context.Background(), w, resolve.Problem{Roots: needs("app;kit;calm")})
	require.NoError(t, err)
	i := slices.IndexFunc(s.Choices, func(c resolve.Choice) bool { return c.Name == "kit" })
	assert.Equal(t, "1", s.Choices[i].Version.String())
	assert.Less(t, w.waits, 20)
	assert.Equal(t, 50, w.largest)
	assert.False(t, w.ahead["quiet 1"])
	for burst, ended := range w.ended {
		assert.True(t, ended, burst)
	}
}
