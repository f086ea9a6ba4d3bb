package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"time"

	"github.com/hashicorp/go-retryablehttp"
)

// transport is how requests go out: by the system's proxies, with its certificates and the
// user's.
func (c *Client) transport() (*http.Transport, error) {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.ReadBufferSize = bufferSize
	transport.ResponseHeaderTimeout = 60 * time.Second
	transport.MaxIdleConnsPerHost, transport.MaxConnsPerHost = atOnce, atOnce
	transport.OnProxyConnectResponse = func(_ context.Context, proxy *url.URL, _ *http.Request, res *http.Response) error {
		if res.StatusCode != http.StatusOK {
			return &ProxyError{Proxy: proxy.Redacted(), Code: res.StatusCode}
		}
		return nil
	}
	if c.Certificates == "" {
		return transport, nil
	}
	pool, err := x509.SystemCertPool()
	if err != nil {
		pool = x509.NewCertPool()
	}
	data, err := os.ReadFile(c.Certificates)
	if err == nil && !pool.AppendCertsFromPEM(data) {
		err = fmt.Errorf("%s holds no certificate", c.Certificates)
	}
	transport.TLSClientConfig = &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}
	return transport, err
}

// Unsigned is how requests of other protocols go out, which have credentials of their own: to
// addresses that are allowed, and not at all where the client is offline.
func (c *Client) Unsigned() (http.RoundTripper, error) {
	transport, err := c.transport()
	return unsigned{c, transport}, err
}

type unsigned struct {
	client *Client
	next   http.RoundTripper
}

func (u unsigned) RoundTrip(r *http.Request) (*http.Response, error) {
	if u.client.Offline {
		return nil, &OfflineError{Redact(r.URL.String())}
	}
	if err := u.client.secure(r.URL.String()); err != nil {
		return nil, err
	}
	return u.next.RoundTrip(r)
}

func (c *Client) client() (*http.Client, error) {
	c.once.Do(func() {
		transport, err := c.transport()
		if c.err = err; err != nil {
			return
		}
		r := retryablehttp.NewClient()
		r.Logger = nil
		r.RetryMax = c.retries()
		r.RetryWaitMin, r.RetryWaitMax = c.pause(), 20*time.Second
		r.CheckRetry, r.Backoff = c.checkRetry, c.backoff
		r.ErrorHandler = func(res *http.Response, err error, _ int) (*http.Response, error) {
			if err != nil && res != nil {
				res.Body.Close() // one or the other, as http.RoundTripper has it
				res = nil
			}
			return res, err
		}
		r.HTTPClient = &http.Client{Transport: &hops{client: c, next: transport}}
		c.http = r.StandardClient()
	})
	return c.http, c.err
}

// hops looks at every single request, those after a redirect too: each must go
// to an address that is allowed, and carries the credentials of its own host
// and no other's.
type hops struct {
	client *Client
	next   http.RoundTripper
	gates  gates
}

func (h *hops) RoundTrip(r *http.Request) (*http.Response, error) {
	if err := h.client.secure(r.URL.String()); err != nil {
		return nil, err
	}
	r = r.Clone(r.Context())
	r.Header.Del("Authorization")
	r.Header.Del("Referer")
	if user, password, ok := h.client.Credentials.For(r.URL); ok {
		r.SetBasicAuth(user, password)
	}
	return h.gates.of(r.URL.Host).through(r, h.next)
}
