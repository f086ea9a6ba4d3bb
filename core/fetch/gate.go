package fetch

import (
	"context"
	"io"
	"net/http"
	"sync"
	"time"
)

// atOnce is how many requests one host gets at a time: with HTTP/1.1 as many connections.
const atOnce = 32

// gates are those of the hosts that were asked.
type gates struct {
	mu     sync.Mutex
	byHost map[string]*gate
}

func (g *gates) of(host string) *gate {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.byHost == nil {
		g.byHost = map[string]*gate{}
	}
	one, ok := g.byHost[host]
	if !ok {
		one = &gate{limit: atOnce}
		g.byHost[host] = one
	}
	return one
}

// gate lets so many requests through at a time. A host that says it has too many gets half of
// them from then on.
type gate struct {
	mu      sync.Mutex
	limit   int
	open    int
	waiting []chan struct{}
	lowered time.Time
}

// enter waits for a place.
func (g *gate) enter(ctx context.Context) error {
	g.mu.Lock()
	if g.open < g.limit {
		g.open++
		g.mu.Unlock()
		return nil
	}
	place := make(chan struct{})
	g.waiting = append(g.waiting, place)
	g.mu.Unlock()
	select {
	case <-place:
		return nil
	case <-ctx.Done():
		g.mu.Lock()
		defer g.mu.Unlock()
		for i, w := range g.waiting {
			if w == place {
				g.waiting = append(g.waiting[:i], g.waiting[i+1:]...)
				return ctx.Err()
			}
		}
		g.next() // the place was given meanwhile
		return ctx.Err()
	}
}

func (g *gate) leave() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.next()
}

// next gives up a place, to whoever waits if there may still be as many.
func (g *gate) next() {
	if g.open--; len(g.waiting) > 0 && g.open < g.limit {
		g.open++
		close(g.waiting[0])
		g.waiting = g.waiting[1:]
	}
}

// lower halves the places. Requests that were on their way when that happened last say nothing
// new.
func (g *gate) lower(began time.Time) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if began.After(g.lowered) {
		g.limit, g.lowered = max(1, g.limit/2), time.Now()
	}
}

// through makes a request when there is a place for it, which it has until its body is closed.
func (g *gate) through(r *http.Request, next http.RoundTripper) (*http.Response, error) {
	if err := g.enter(r.Context()); err != nil {
		return nil, err
	}
	began := time.Now()
	res, err := next.RoundTrip(r)
	if err != nil {
		g.leave()
		return nil, err
	}
	if res.StatusCode == http.StatusTooManyRequests || res.StatusCode == http.StatusServiceUnavailable {
		g.lower(began)
	}
	res.Body = &placed{ReadCloser: res.Body, leave: sync.OnceFunc(g.leave)}
	return res, nil
}

// placed is a body that has a place at the gate until it is closed.
type placed struct {
	io.ReadCloser
	leave func()
}

func (p *placed) Close() error {
	err := p.ReadCloser.Close()
	p.leave()
	return err
}
