package fetch

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/internal/checked"
)

// kept is an answer in the cache: a line of JSON, then the body. A private
// cache (RFC 9111): one user's, so that "private" answers may be kept.
type kept struct {
	// URL is without credentials; the header only has what the cache needs.
	URL         string    `json:"url"`
	ContentType string    `json:"content_type"`
	ETag        string    `json:"etag,omitempty"`
	Modified    string    `json:"last_modified,omitempty"`
	Until       time.Time `json:"fresh_until"`
	Sum         string    `json:"crc32c"` // of the body: against damage, nobody else writes here
	body        []byte
}

func directives(h http.Header) map[string]string {
	out := map[string]string{}
	for _, part := range strings.Split(strings.Join(h.Values("Cache-Control"), ","), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		out[strings.ToLower(name)] = strings.Trim(value, `"`)
	}
	return out
}

// newKept is an answer to keep, or nil if it may not be.
func newKept(res *http.Response, body []byte) *kept {
	d := directives(res.Header)
	if _, no := d["no-store"]; no || res.Header.Get("Vary") == "*" {
		return nil
	}
	address := *res.Request.URL
	address.User = nil
	k := &kept{URL: address.String(), ContentType: res.Header.Get("Content-Type"), body: body}
	k.renew(res.Header)
	if k.ETag == "" && k.Modified == "" && k.Until.IsZero() {
		// Neither fresh nor to be validated; of use without a network only.
		k.Until = time.Unix(0, 0)
	}
	return k
}

// renew takes over how long the answer is fresh, and its validators (RFC 9111,
// sections 4.2 and 4.3.4).
func (k *kept) renew(h http.Header) {
	if v := h.Get("ETag"); v != "" {
		k.ETag = v
	}
	if v := h.Get("Last-Modified"); v != "" {
		k.Modified = v
	}
	k.Until = time.Time{}
	now := time.Now()
	d := directives(h)
	if _, no := d["no-cache"]; no {
		return
	}
	age, _ := strconv.Atoi(h.Get("Age")) // none counts as 0
	if text, ok := d["max-age"]; ok {
		if seconds, err := strconv.Atoi(text); err == nil && seconds > age {
			k.Until = now.Add(time.Duration(seconds-age) * time.Second)
		}
		return
	}
	if expires, err := http.ParseTime(h.Get("Expires")); err == nil {
		if date, err := http.ParseTime(h.Get("Date")); err == nil {
			k.Until = now.Add(expires.Sub(date))
		}
	}
}

func (k *kept) fresh(now time.Time) bool { return k.Until.After(now) }

// validate asks only for what has changed.
func (k *kept) validate(h http.Header) {
	if k == nil {
		return
	}
	if k.ETag != "" {
		h.Set("If-None-Match", k.ETag)
	}
	if k.Modified != "" {
		h.Set("If-Modified-Since", k.Modified)
	}
}

func (k *kept) response() *Response {
	u, err := url.Parse(k.URL)
	if err != nil {
		u = &url.URL{}
	}
	return &Response{Body: io.NopCloser(bytes.NewReader(k.body)), URL: u, ContentType: k.ContentType, Size: int64(len(k.body)), Sum: k.Sum}
}

func (c *Client) keptFile(address, accept string) string {
	sum := sha256.Sum256([]byte(Redact(address) + "\n" + accept))
	name := hex.EncodeToString(sum[:])
	return filepath.Join(c.Cache, name[:2], name)
}

// kept is what the cache has for an address, or nil. A damaged file counts as
// none.
func (c *Client) kept(address, accept string) *kept {
	if c.Cache == "" {
		return nil
	}
	data, err := os.ReadFile(c.keptFile(address, accept))
	if err != nil {
		return nil
	}
	head, body, ok := bytes.Cut(data, []byte("\n"))
	k := &kept{body: body}
	if !ok || json.Unmarshal(head, k) != nil || k.Sum != checked.Sum(body) {
		return nil
	}
	return k
}

// keep writes an answer into the cache, whole or not at all. Where that fails
// it is asked for again, so there is no error.
func (c *Client) keep(address, accept string, k *kept) {
	if c.Cache == "" || k == nil {
		return
	}
	_ = atomicfile.Cache(c.keptFile(address, accept), k.head(checked.Sum(k.body)), k.body)
}

// head is what stands before the body, which has a checksum.
func (k *kept) head(sum string) []byte {
	k.Sum = sum
	head, _ := json.Marshal(k) // texts and a time
	return append(head, '\n')
}

// Kept is an answer of the cache, however old it is.
type Kept struct{ kept *kept }

// Kept is what the cache has for an address, maybe nothing.
func (c *Client) Kept(address, accept string) Kept { return Kept{c.kept(address, accept)} }

// Answer is the answer as it was, or nil.
func (k Kept) Answer() *Response {
	if k.kept == nil {
		return nil
	}
	return k.kept.response()
}

// good is an answer of the cache that is taken as it is, without asking, or nil.
func (c *Client) good(have Kept) *kept {
	if have.kept != nil && (c.Offline || have.Fresh()) {
		return have.kept
	}
	return nil
}

// Fresh reports whether it is taken as it is, without asking.
func (k Kept) Fresh() bool { return k.kept != nil && k.kept.fresh(time.Now()) }

// Forget drops what the cache has for an address, so that it is asked for
// anew.
func (c *Client) Forget(address, accept string) {
	if c.Cache != "" {
		os.Remove(c.keptFile(address, accept))
	}
}
