package retry_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"glassjar/core/internal/retry"
	_ "glassjar/internal/long"
)

func TestDo(t *testing.T) {
	passes, stays := errors.New("passes"), errors.New("stays")
	ended, end := context.WithCancel(context.Background())
	end()
	for _, c := range []struct {
		what  string
		ctx   context.Context
		times int
		pause time.Duration
		fails []error
		want  error
		done  int
	}{
		{"at once", context.Background(), 3, 1, nil, nil, 1},
		{"the third time", context.Background(), 3, 1, []error{passes, passes}, nil, 3},
		{"too often", context.Background(), 2, 1, []error{passes, passes, passes}, passes, 2},
		{"what stays", context.Background(), 3, 1, []error{passes, stays}, stays, 2},
		{"the end of all", ended, 3, time.Hour, []error{passes, passes}, context.Canceled, 1},
	} {
		done := 0
		err := retry.Do(c.ctx, c.times, c.pause, func(err error) bool { return err == passes }, func() error {
			if done++; done <= len(c.fails) {
				return c.fails[done-1]
			}
			return nil
		})
		assert.Equal(t, c.want, err, c.what)
		assert.Equal(t, c.done, done, c.what)
	}
}
