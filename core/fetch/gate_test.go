package fetch_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
	"glassjar/internal/wait"
)

// A host that says it is asked too much is asked less at a time, and all answers come.
func TestABusyHostIsAskedLessAtATime(t *testing.T) {
	var now, most, late, asked atomic.Int64
	var once sync.Once
	many := make(chan struct{}) // closed once many are asked at a time, however slow the machine is
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		n := now.Add(1)
		defer now.Add(-1)
		most.Store(max(most.Load(), n))
		if n > 16 {
			once.Do(func() { close(many) })
		}
		wait.Until(func() bool {
			select {
			case <-many:
				return true
			default:
				return false
			}
		})
		time.Sleep(20 * time.Millisecond)
		switch {
		case asked.Add(1) <= 40 && n > 8:
			w.Header().Set("Retry-After", "0")
			w.WriteHeader(http.StatusTooManyRequests)
		case asked.Load() > 80:
			late.Store(max(late.Load(), n))
		}
	}))
	defer server.Close()
	c := &fetch.Client{Pause: time.Millisecond}
	var group sync.WaitGroup
	for range 200 {
		group.Go(func() {
			_, _, err := c.Read(context.Background(), server.URL, "", 10)
			assert.NoError(t, err)
		})
	}
	group.Wait()
	assert.LessOrEqual(t, most.Load(), int64(32))
	assert.Greater(t, most.Load(), int64(16), "all is used before a host complains")
	assert.LessOrEqual(t, late.Load(), int64(16))
}

// Who gives up waiting for a place leaves it to others.
func TestGivingUpAPlace(t *testing.T) {
	hold := make(chan struct{})
	var held atomic.Int64
	server := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/hold" {
			held.Add(1)
			<-hold
		}
	}))
	defer server.Close()
	c := &fetch.Client{}
	var group sync.WaitGroup
	for range 32 {
		group.Go(func() {
			_, _, err := c.Read(context.Background(), server.URL+"/hold", "", 10)
			assert.NoError(t, err)
		})
	}
	wait.For(t, func() bool { return held.Load() == 32 }, "all that are asked at a time")
	ctx, cancel := context.WithTimeout(context.Background(), 50*time.Millisecond)
	defer cancel()
	_, _, err := c.Read(ctx, server.URL, "", 10)
	require.ErrorIs(t, err, context.DeadlineExceeded)
	close(hold)
	group.Wait()
	_, _, err = c.Read(context.Background(), server.URL, "", 10)
	assert.NoError(t, err)
}
