// Package fetch gets things over HTTP. It retries what may pass (429, 5xx,
// broken connections) with growing pauses, follows redirects, bounds what it
// reads, and reports failures as values.
//
// It does not cache yet, does not resume, and knows no credentials.
package fetch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"
)

// StatusError reports an answer that is not what was asked for.
type StatusError struct {
	URL  string
	Code int
}

func (e *StatusError) Error() string {
	return fmt.Sprintf("%s answered %d %s", e.URL, e.Code, http.StatusText(e.Code))
}

// NetworkError reports that no answer came, or not the whole of it.
type NetworkError struct {
	URL string
	Err error
}

func (e *NetworkError) Error() string { return fmt.Sprintf("%s cannot be reached: %v", e.URL, e.Err) }
func (e *NetworkError) Unwrap() error { return e.Err }

// OfflineError reports that something would have to be fetched.
type OfflineError struct{ URL string }

func (e *OfflineError) Error() string { return e.URL + " is not here, and --offline is set" }

// InsecureError reports an address that is neither https nor on this machine.
type InsecureError struct{ URL string }

func (e *InsecureError) Error() string {
	return e.URL + " is plain http to another machine: what comes could be changed on the way"
}

// Client fetches. The zero value works.
type Client struct {
	// Offline refuses every request.
	Offline bool
	// AllowHTTP admits plain http to other machines.
	AllowHTTP bool
	// Retries is how often a request is tried again; 0 means three times,
	// negative never.
	Retries int

	http *http.Client
}

// New makes a client.
func New() *Client { return &Client{} }

func (c *Client) client() *http.Client {
	if c.http != nil {
		return c.http
	}
	r := retryablehttp.NewClient()
	r.Logger = nil
	r.RetryMax = 3
	switch {
	case c.Retries > 0:
		r.RetryMax = c.Retries
	case c.Retries < 0:
		r.RetryMax = 0
	}
	r.RetryWaitMin, r.RetryWaitMax = 200*time.Millisecond, 5*time.Second
	r.ErrorHandler = retryablehttp.PassthroughErrorHandler
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.ResponseHeaderTimeout = 60 * time.Second
	transport.MaxIdleConnsPerHost = 8
	transport.DisableCompression = false
	r.HTTPClient = &http.Client{Transport: transport}
	c.http = r.StandardClient()
	return c.http
}

// Response is an answer with status 200. The body must be closed.
type Response struct {
	Body io.ReadCloser
	// URL is where the answer came from, after redirects.
	URL         *url.URL
	ContentType string
	// Size is the announced length, -1 if there is none.
	Size int64
}

// Get asks for an address. The error is a [*StatusError], [*NetworkError],
// [*OfflineError] or [*InsecureError], or the context's.
func (c *Client) Get(ctx context.Context, address, accept string) (*Response, error) {
	shown := Redact(address)
	if c.Offline {
		return nil, &OfflineError{shown}
	}
	if err := c.secure(address); err != nil {
		return nil, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, &NetworkError{shown, err}
	}
	if accept != "" {
		req.Header.Set("Accept", accept)
	}
	req.Header.Set("User-Agent", "glassjar")
	res, err := c.client().Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, &NetworkError{shown, plain(err)}
	}
	if res.StatusCode != http.StatusOK {
		res.Body.Close()
		return nil, &StatusError{shown, res.StatusCode}
	}
	return &Response{Body: res.Body, URL: res.Request.URL, ContentType: res.Header.Get("Content-Type"), Size: res.ContentLength}, nil
}

// Read is [Client.Get] with the whole body, up to limit bytes.
func (c *Client) Read(ctx context.Context, address, accept string, limit int64) ([]byte, *Response, error) {
	res, err := c.Get(ctx, address, accept)
	if err != nil {
		return nil, nil, err
	}
	defer res.Body.Close()
	data, err := io.ReadAll(io.LimitReader(res.Body, limit+1))
	switch {
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case err != nil:
		return nil, nil, &NetworkError{Redact(address), plain(err)}
	case int64(len(data)) > limit:
		return nil, nil, &NetworkError{Redact(address), fmt.Errorf("the answer is larger than %d bytes", limit)}
	}
	return data, res, nil
}

// plain takes the request's words off an error: they repeat the address, and
// may hold what must not be shown.
func plain(err error) error {
	var u *url.Error
	if errors.As(err, &u) {
		err = u.Err
	}
	return err
}

func (c *Client) secure(address string) error {
	u, err := url.Parse(address)
	if err != nil {
		return &NetworkError{Redact(address), errors.New("it is not an address")}
	}
	if u.Scheme == "https" || u.Scheme == "http" && (c.AllowHTTP || loopback(u.Hostname())) {
		return nil
	}
	if u.Scheme == "http" {
		return &InsecureError{Redact(address)}
	}
	return &NetworkError{Redact(address), fmt.Errorf("addresses of the kind %q are not fetched", u.Scheme)}
}

func loopback(host string) bool {
	if strings.EqualFold(host, "localhost") {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

// Redact is the address without credentials.
func Redact(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.User == nil {
		return address
	}
	u.User = nil
	return u.String()
}
