// Package fetch gets things over HTTP. It retries what may pass (429, 5xx,
// broken connections, cut-off and stalled bodies) with growing pauses, resumes
// downloads, waits as long as a server asks for, up to a minute, keeps answers as
// RFC 9111 says, bounds what it reads, and sends credentials only to the host they
// belong to. Failures are values.
package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"glassjar/core/limits"
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

// ProxyError reports that a proxy did not let a request through, or cannot be reached
// itself. The index was not asked.
type ProxyError struct {
	// Proxy is its address; Code is what it answered, 0 for none.
	Proxy string
	Code  int
	Err   error
}

func (e *ProxyError) Error() string {
	if e.Code != 0 {
		return fmt.Sprintf("the proxy %s answered %d %s", e.Proxy, e.Code, http.StatusText(e.Code))
	}
	return fmt.Sprintf("the proxy %s cannot be reached: %v", e.Proxy, e.Err)
}

func (e *ProxyError) Unwrap() error { return e.Err }

// CertificateError reports that a server's certificate proves nothing here.
type CertificateError struct {
	URL string
	// Unknown tells that nobody whom this machine trusts vouches for it; otherwise
	// it is for another name, or out of date.
	Unknown bool
	Err     error
}

func (e *CertificateError) Error() string {
	return fmt.Sprintf("the certificate of %s: %v", e.URL, e.Err)
}
func (e *CertificateError) Unwrap() error { return e.Err }

// BusyError reports that a server asks to be left alone for longer than this program
// waits.
type BusyError struct {
	URL string
	// Until is when it may be asked again.
	Until time.Time
}

func (e *BusyError) Error() string {
	return fmt.Sprintf("%s asks not to be asked again before %s", e.URL, e.Until.Local().Format("15:04:05 on 2006-01-02"))
}

// errStalled is the cause of a body that was broken off since nothing came of it.
var errStalled = errors.New("nothing came for too long")

// OfflineError reports that something would have to be fetched.
type OfflineError struct{ URL string }

func (e *OfflineError) Error() string { return e.URL + " is not here, and --offline is set" }

// InsecureError reports an address that is neither https nor on this machine.
type InsecureError struct{ URL string }

func (e *InsecureError) Error() string {
	return e.URL + " is plain http to another machine: what comes could be changed on the way"
}

// Client fetches. The zero value works, without a cache. Its fields are set
// before the first request.
type Client struct {
	// Offline refuses every request that the cache cannot answer.
	Offline bool
	// AllowHTTP admits plain http to other machines.
	AllowHTTP bool
	// Retries is how often a request is tried again; 0 means four times,
	// negative never.
	Retries int
	// Pause is the first pause before trying again; 0 means 200 ms. It doubles.
	Pause time.Duration
	// Stall is how long a body may give nothing before it is broken off and asked
	// for anew; 0 means 30 s.
	Stall time.Duration
	// Waits, if set, is told that a server asked to wait, before that is done.
	Waits func(host string, d time.Duration)
	// Cache is the folder of kept answers; empty keeps nothing.
	Cache string
	// Certificates is a file of further certificate authorities, PEM.
	Certificates string
	// Credentials, if set, are asked for a host's user and password.
	Credentials *Credentials

	once sync.Once
	http *http.Client
	err  error
}

func (c *Client) retries() int {
	switch {
	case c.Retries > 0:
		return c.Retries
	case c.Retries < 0:
		return 0
	}
	return 4
}

func (c *Client) pause() time.Duration {
	if c.Pause > 0 {
		return c.Pause
	}
	return 200 * time.Millisecond
}

func (c *Client) stall() time.Duration {
	if c.Stall > 0 {
		return c.Stall
	}
	return 30 * time.Second
}

// Response is an answer with status 200 or 206. The body must be closed.
type Response struct {
	Body io.ReadCloser
	// URL is where the answer came from, after redirects.
	URL         *url.URL
	ContentType string
	// Size is the announced length, -1 if there is none.
	Size int64
	// ETag is its validator, empty if there is none.
	ETag string
	// Sum is a checksum of the body, against damage, of what [Client.Stream] gives: empty as long
	// as its end is not known.
	Sum string
}

// do makes one request; header may be nil.
func (c *Client) do(ctx context.Context, address string, header http.Header) (*http.Response, error) {
	shown := Redact(address)
	if c.Offline {
		return nil, &OfflineError{shown}
	}
	if err := c.secure(address); err != nil {
		return nil, err
	}
	client, err := c.client()
	if err != nil {
		return nil, &NetworkError{shown, err}
	}
	u, err := url.Parse(address)
	if err != nil {
		return nil, &NetworkError{shown, err}
	}
	c.Credentials.take(u)
	u.User = nil
	within, cancel := context.WithCancelCause(ctx)
	req, err := http.NewRequestWithContext(within, http.MethodGet, u.String(), nil)
	if err != nil {
		cancel(nil)
		return nil, &NetworkError{shown, err}
	}
	for k, v := range header {
		req.Header[k] = v
	}
	req.Header.Set("User-Agent", "glassjar")
	res, err := client.Do(req)
	var insecure *InsecureError
	var busy *BusyError
	if err == nil {
		res.Body = &watched{body: res.Body, ctx: within, cancel: cancel, stall: c.stall()}
		return res, nil
	}
	cancel(nil)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &insecure):
		return nil, insecure
	case errors.As(err, &busy):
		return nil, busy
	}
	return nil, named(shown, plain(err))
}

// Named is the error of a request to an address that got no answer, for those who make requests
// themselves.
func Named(address string, err error) error { return named(Redact(address), plain(err)) }

// named is the error of a request that got no answer.
func named(shown string, err error) error {
	var proxy *ProxyError
	var dial *net.OpError
	var unverified *tls.CertificateVerificationError
	var unknown x509.UnknownAuthorityError
	switch {
	case errors.As(err, &proxy):
		return proxy
	case errors.As(err, &dial) && dial.Op == "proxyconnect":
		at, inner := "that is set up", dial
		if errors.As(dial.Err, &inner) && inner.Addr != nil {
			return &ProxyError{Proxy: inner.Addr.String(), Err: inner.Err}
		}
		return &ProxyError{Proxy: at, Err: dial.Err}
	case errors.As(err, &unverified):
		return &CertificateError{URL: shown, Unknown: errors.As(err, &unknown), Err: unverified.Err}
	}
	return &NetworkError{shown, err}
}

// Get asks for an address. The body resumes by itself where the connection
// breaks and the server can go on from a place. The error is a [*StatusError],
// [*NetworkError], [*OfflineError] or [*InsecureError], or the context's.
func (c *Client) Get(ctx context.Context, address, accept string) (*Response, error) {
	return c.GetChanged(ctx, address, accept, "")
}

// GetChanged is [Client.Get] for what may have a validator: the response is nil where it has not
// changed since it had that one (RFC 9110, section 13.1.2). With an empty one it is asked for
// whatever it is.
func (c *Client) GetChanged(ctx context.Context, address, accept, etag string) (*Response, error) {
	header := http.Header{}
	if etag != "" {
		header.Set("If-None-Match", etag)
	}
	if accept != "" {
		header.Set("Accept", accept)
	}
	res, err := c.do(ctx, address, header)
	if err != nil {
		return nil, err
	}
	if res.StatusCode == http.StatusNotModified && etag != "" {
		return nil, res.Body.Close()
	}
	if res.StatusCode != http.StatusOK {
		res.Body.Close()
		return nil, &StatusError{Redact(address), res.StatusCode}
	}
	header.Del("If-None-Match")
	body := &resuming{client: c, ctx: ctx, address: address, header: header, body: res.Body, size: res.ContentLength, left: c.retries(),
		ranges: res.Header.Get("Accept-Ranges") == "bytes", etag: res.Header.Get("ETag")}
	return &Response{Body: body, URL: res.Request.URL, ContentType: res.Header.Get("Content-Type"), Size: res.ContentLength, ETag: res.Header.Get("ETag")}, nil
}

// Read is the whole body at an address, from the cache if that is allowed; more than
// limit bytes are a [*limits.Error].
func (c *Client) Read(ctx context.Context, address, accept string, limit int64) ([]byte, *Response, error) {
	have := c.Kept(address, accept)
	if k := c.good(have); k != nil {
		return k.body, k.response(), nil
	}
	return c.read(ctx, address, accept, limit, have.kept, c.keep)
}

// ReadUnkept is [Client.Read] for what whoever asks keeps under its hash: the cache has no part
// in it.
func (c *Client) ReadUnkept(ctx context.Context, address, accept string, limit int64) ([]byte, error) {
	data, _, err := c.read(ctx, address, accept, limit, nil, func(string, string, *kept) {})
	return data, err
}

func (c *Client) read(ctx context.Context, address, accept string, limit int64, have *kept, keep func(address, accept string, k *kept)) (data []byte, res *Response, err error) {
	err = c.repeat(ctx, func() (err error) {
		data, res, err = c.readOnce(ctx, address, accept, limit, have, keep)
		return err
	})
	return data, res, err
}

func (c *Client) readOnce(ctx context.Context, address, accept string, limit int64, kept *kept, keep func(address, accept string, k *kept)) ([]byte, *Response, error) {
	res, err := c.ask(ctx, address, accept, kept)
	if err != nil {
		return nil, nil, err
	}
	if res == nil {
		keep(address, accept, kept)
		return kept.body, kept.response(), nil
	}
	defer res.Body.Close()
	data, err := readBody(res, limit)
	switch {
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case err != nil:
		return nil, nil, &NetworkError{Redact(address), broken{plain(err)}}
	case int64(len(data)) > limit:
		return nil, nil, &limits.Error{What: Redact(address), Limit: limit, Unit: "bytes"}
	}
	keep(address, accept, newKept(res, data))
	return data, &Response{URL: res.Request.URL, ContentType: res.Header.Get("Content-Type"), Size: int64(len(data))}, nil
}

// ask makes one request for what the cache may have; the response is nil where that has not changed,
// and was renewed.
func (c *Client) ask(ctx context.Context, address, accept string, kept *kept) (*http.Response, error) {
	header := http.Header{}
	if accept != "" {
		header.Set("Accept", accept)
	}
	kept.validate(header)
	res, err := c.do(ctx, address, header)
	switch {
	case err != nil:
		return nil, err
	case res.StatusCode == http.StatusNotModified && kept != nil:
		kept.renew(res.Header)
		return nil, res.Body.Close()
	case res.StatusCode != http.StatusOK:
		res.Body.Close()
		return nil, &StatusError{Redact(address), res.StatusCode}
	}
	return res, nil
}

// readBody is a body, and one byte more than a limit where it is longer. What is announced is read
// into as much memory as it takes, not into ever larger pieces.
func readBody(res *http.Response, limit int64) ([]byte, error) {
	if n := res.ContentLength; n > 0 && n <= limit {
		data := make([]byte, n)
		_, err := io.ReadFull(res.Body, data)
		return data, err
	}
	return io.ReadAll(io.LimitReader(res.Body, limit+1))
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
	if strings.IndexByte(address, '@') < 0 && strings.IndexByte(address, '?') < 0 { // there are many, long ones
		return address
	}
	u, err := url.Parse(address)
	if err != nil {
		// What does not parse may still hold a password.
		if i := strings.LastIndexByte(address, '@'); i >= 0 {
			return "..." + address[i:]
		}
		return address
	}
	query, secret := u.Query(), false
	for name := range query {
		if secretNames[strings.ToLower(name)] {
			query.Set(name, "...")
			secret = true
		}
	}
	if u.User == nil && !secret {
		return address
	}
	u.User = nil
	if secret {
		u.RawQuery = query.Encode()
	}
	return u.String()
}

// secretNames are those under which addresses carry what lets one in.
var secretNames = map[string]bool{"token": true, "access_token": true, "private_token": true, "auth_token": true, "auth": true, "password": true, "passwd": true,
	"secret": true, "key": true, "apikey": true, "api_key": true, "sig": true, "signature": true, "x-amz-signature": true, "x-goog-signature": true}
