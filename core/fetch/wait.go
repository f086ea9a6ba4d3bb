package fetch

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/hashicorp/go-retryablehttp"
)

// maxWait is how long is waited because a server asks for it.
const maxWait = time.Minute

// checkRetry decides whether a request is made again. A server that asks for more
// patience than there is ends it, with a [*BusyError].
func (c *Client) checkRetry(ctx context.Context, res *http.Response, err error) (bool, error) {
	if d, ok := retryAfter(res); ok && d > maxWait {
		return false, &BusyError{Redact(res.Request.URL.String()), time.Now().Add(d)}
	}
	var proxy *ProxyError
	if errors.As(err, &proxy) {
		return false, proxy // it said no
	}
	return retryablehttp.DefaultRetryPolicy(ctx, res, err)
}

// backoff is the pause before a request is made again: what the server asks for,
// else one that grows.
func (c *Client) backoff(shortest, longest time.Duration, attempt int, res *http.Response) time.Duration {
	d, ok := retryAfter(res)
	if !ok {
		return retryablehttp.DefaultBackoff(shortest, longest, attempt, nil)
	}
	if c.Waits != nil && d >= time.Second {
		c.Waits(res.Request.URL.Host, d)
	}
	return d
}

// retryAfter is how long a server asks to wait (RFC 9110, section 10.2.3).
func retryAfter(res *http.Response) (time.Duration, bool) {
	if res == nil || res.StatusCode != http.StatusTooManyRequests && res.StatusCode != http.StatusServiceUnavailable {
		return 0, false
	}
	text := res.Header.Get("Retry-After")
	if n, err := strconv.ParseInt(text, 10, 64); err == nil && n >= 0 {
		return time.Duration(min(n, 1<<31)) * time.Second, true
	}
	if at, err := http.ParseTime(text); err == nil {
		return max(0, time.Until(at)), true
	}
	return 0, false
}

// broken is the error of a body that did not come to its end: it may come the next
// time.
type broken struct{ err error }

func (b broken) Error() string {
	if errors.Is(b.err, io.ErrUnexpectedEOF) {
		return "the connection broke before all had come"
	}
	return b.err.Error()
}
func (b broken) Unwrap() error        { return b.err }
func (b broken) Is(target error) bool { return target == errBroken }

// errBroken is what all such errors are.
var errBroken = errors.New("the body broke off")

// watched is a body that is broken off when nothing comes of it for a while.
type watched struct {
	body   io.ReadCloser
	ctx    context.Context
	cancel context.CancelCauseFunc
	stall  time.Duration
}

func (w *watched) Read(p []byte) (int, error) {
	timer := time.AfterFunc(w.stall, func() { w.cancel(errStalled) })
	n, err := w.body.Read(p)
	timer.Stop()
	if err != nil && err != io.EOF && context.Cause(w.ctx) == errStalled {
		err = errStalled
	}
	return n, err
}

func (w *watched) Close() error {
	err := w.body.Close()
	w.cancel(nil)
	return err
}
