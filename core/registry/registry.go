package registry

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"oras.land/oras-go/v2/content"
	"oras.land/oras-go/v2/errdef"
	"oras.land/oras-go/v2/registry/remote"
	"oras.land/oras-go/v2/registry/remote/auth"
	"oras.land/oras-go/v2/registry/remote/credentials"
	"oras.land/oras-go/v2/registry/remote/errcode"
	"oras.land/oras-go/v2/registry/remote/retry"

	"glassjar/core/fetch"
	"glassjar/core/limits"
)

// Media types of what is kept.
const (
	TypeJar     = "application/vnd.glassjar.jar.v1"
	TypeRecord  = "application/vnd.glassjar.record.v1+toml"
	TypePackage = "application/vnd.glassjar.package.v1"
	// TypeSignature is that of an artifact whose subject is a jar, and of its one blob, a
	// signature of the jar's record in the form of OpenSSH.
	TypeSignature = "application/vnd.glassjar.signature.v1"
	// TypeRelease is that of an artifact with the files of one release, TypeMetadata of the core
	// metadata of a wheel.
	TypeRelease  = "application/vnd.glassjar.release.v1"
	TypeMetadata = "application/vnd.glassjar.metadata.v1"
	// KeyTarget is the annotation of a manifest with its target.
	KeyTarget = "glassjar.target"
)

// atOnce is how many blobs are on their way at a time.
const atOnce = 8

// Client speaks with registries.
type Client struct {
	Fetch *fetch.Client
	// Told is told of bytes that came or went, as they do.
	Told func(done int64)
	// Seen are names of the registry under which blobs were pushed before, by their SHA-256:
	// from there they are mounted, and not sent again. Pushed, if set, is told of those that
	// are under a name now.
	Seen   map[string]string
	Pushed func(name string, sums []string)

	once   sync.Once
	asks   *auth.Client
	failed error
	plain  sync.Map // host -> func() bool
}

// NotJarError says that what is in a registry is no jar.
type NotJarError struct{ Ref, Why string }

func (e *NotJarError) Error() string { return e.Ref + " is no sealed jar: " + e.Why }

// NotThereError says that a registry has no such name or tag, or does not show it.
type NotThereError struct{ Ref string }

func (e *NotThereError) Error() string { return e.Ref + " is not there" }

// DeniedError says that a registry lets nobody in without other credentials.
type DeniedError struct {
	Ref, Host string
	Code      int
	// Said is what the registry gives as its reason, or empty.
	Said string
}

// RefusedError says that a registry did not do what was asked for, such as to keep more than it
// has room for.
type RefusedError struct {
	Ref, Host string
	Code      int
	// Said is its reason; empty where it gave none.
	Said string
}

func (e *RefusedError) Error() string {
	return strings.TrimSuffix(fmt.Sprintf("%s answered %d for %s: %s", e.Host, e.Code, e.Ref, e.Said), ": ")
}

func (e *DeniedError) Error() string {
	return fmt.Sprintf("%s answered %d for %s", e.Host, e.Code, e.Ref)
}

// repository is a name in a registry, asked with the credentials of the container world.
// Connections, tokens and what is known of hosts are kept for all names.
func (c *Client) repository(ctx context.Context, ref Ref) (*remote.Repository, error) {
	c.once.Do(func() {
		transport, err := c.Fetch.Unsigned()
		c.failed = err
		c.asks = &auth.Client{Client: &http.Client{Transport: retry.NewTransport(transport), CheckRedirect: elsewhere}, Cache: auth.NewCache(), Credential: known(), Header: http.Header{"User-Agent": {"glassjar"}}}
	})
	if c.failed != nil {
		return nil, c.failed
	}
	repo := &remote.Repository{Reference: ref.reference, Client: c.asks, SkipReferrersGC: true}
	if ref.loopback() {
		asked, _ := c.plain.LoadOrStore(ref.Host(), sync.OnceValue(func() bool {
			transport, err := c.Fetch.Unsigned()
			return err == nil && plain(ctx, transport, ref.Host())
		}))
		repo.PlainHTTP = asked.(func() bool)()
	}
	return repo, nil
}

// elsewhere follows a redirect, and takes what lets one in away where that leads to another host
// or port.
func elsewhere(r *http.Request, via []*http.Request) error {
	if len(via) >= 10 {
		return errors.New("it leads from place to place")
	}
	if r.URL.Host != via[0].URL.Host || r.URL.Scheme != via[0].URL.Scheme {
		r.Header.Del("Authorization")
	}
	return nil
}

// plain reports whether a registry of this machine speaks http without a certificate.
func plain(ctx context.Context, transport http.RoundTripper, host string) bool {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, "https://"+host+"/v2/", nil)
	if err != nil {
		return false
	}
	res, err := (&http.Client{Transport: transport}).Do(r)
	if err != nil {
		var noTLS tls.RecordHeaderError
		return errors.Is(err, http.ErrSchemeMismatch) || errors.As(err, &noTLS)
	}
	res.Body.Close()
	return false
}

// known looks for credentials where those who work with containers keep them: the file that
// DOCKER_CONFIG or the home folder has, helpers that it names, and containers-auth.json(5).
func known() auth.CredentialFunc {
	var stores []credentials.Store
	if s, err := credentials.NewStoreFromDocker(credentials.StoreOptions{}); err == nil {
		stores = append(stores, s)
	}
	home, _ := os.UserHomeDir()
	for _, file := range []string{os.Getenv("REGISTRY_AUTH_FILE"), filepath.Join(os.Getenv("XDG_RUNTIME_DIR"), "containers", "auth.json"), filepath.Join(home, ".config", "containers", "auth.json")} {
		if _, err := os.Stat(file); err != nil || !filepath.IsAbs(file) {
			continue
		}
		if s, err := credentials.NewStore(file, credentials.StoreOptions{}); err == nil {
			stores = append(stores, s)
		}
	}
	if len(stores) == 0 {
		return nil
	}
	return credentials.Credential(credentials.NewStoreWithFallbacks(stores[0], stores[1:]...))
}

// reason is what a registry gives as its reason (Distribution Specification, "Error Codes").
func reason(answer *errcode.ErrorResponse) string {
	var said []string
	for _, e := range answer.Errors {
		said = append(said, strings.TrimSpace(strings.ToLower(e.Code)+": "+e.Message))
	}
	return strings.Join(said, "; ")
}

// told is the error of a request in the words of this program.
func told(ref Ref, err error) error {
	var answer *errcode.ErrorResponse
	var offline *fetch.OfflineError
	var insecure *fetch.InsecureError
	var large *limits.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &large):
		return large
	case errors.As(err, &offline):
		return &fetch.OfflineError{URL: ref.String()}
	case errors.As(err, &insecure):
		return insecure
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err
	case errors.As(err, &answer) && (answer.StatusCode == http.StatusUnauthorized || answer.StatusCode == http.StatusForbidden), errors.Is(err, auth.ErrBasicCredentialNotFound):
		e := &DeniedError{ref.String(), ref.Host(), http.StatusUnauthorized, ""}
		if answer != nil {
			e.Code, e.Said = answer.StatusCode, reason(answer)
		}
		return e
	case errors.Is(err, errdef.ErrNotFound), answer != nil && answer.StatusCode == http.StatusNotFound:
		return &NotThereError{ref.String()}
	case answer != nil:
		return &RefusedError{ref.String(), ref.Host(), answer.StatusCode, reason(answer)}
	case errors.Is(err, content.ErrMismatchedDigest), errors.Is(err, content.ErrTrailingData):
		return &NotJarError{ref.String(), "what came is not what its digest says"}
	case errors.Is(err, errdef.ErrInvalidReference), errors.Is(err, errdef.ErrUnsupported), errors.Is(err, errdef.ErrInvalidDigest):
		return &NotJarError{ref.String(), err.Error()}
	}
	return fetch.Named(ref.String(), err)
}
