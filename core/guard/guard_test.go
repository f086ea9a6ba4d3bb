package guard_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/core/guard"
	_ "glassjar/internal/long"
)

func TestPanicsAreErrors(t *testing.T) {
	fall := func() error { panic("the bough broke") }
	other := errors.New("other")
	joined, ctx := guard.WithContext(context.Background())
	joined.SetLimit(2)
	joined.Go(fall)
	limited := guard.New()
	limited.Go(fall)
	for _, err := range []error{guard.Do(fall), joined.Wait(), limited.Wait()} {
		var p *guard.PanicError
		assert.ErrorAs(t, err, &p)
		assert.Equal(t, "the bough broke", p.Value)
		assert.Contains(t, string(p.Stack), "guard_test")
	}
	assert.Error(t, ctx.Err())
	assert.ErrorIs(t, guard.Do(func() error { return other }), other)
}
