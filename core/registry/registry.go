package registry

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"

	"oras.land/oras-go/v2/content"
	"oras.land/oras-go/v2/errdef"
	"oras.land/oras-go/v2/registry/remote"
	"oras.land/oras-go/v2/registry/remote/auth"
	"oras.land/oras-go/v2/registry/remote/credentials"
	"oras.land/oras-go/v2/registry/remote/errcode"
	"oras.land/oras-go/v2/registry/remote/retry"

	"glassjar/core/fetch"
)

// Media types of what is kept.
const (
	TypeJar     = "application/vnd.glassjar.jar.v1"
	TypeRecord  = "application/vnd.glassjar.record.v1+toml"
	TypePackage = "application/vnd.glassjar.package.v1"
	// TypeSignature is that of an artifact whose subject is a jar, and of its one blob, a
	// signature of the jar's record in the form of OpenSSH.
	TypeSignature = "application/vnd.glassjar.signature.v1"
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
}

func (e *DeniedError) Error() string {
	return fmt.Sprintf("%s answered %d for %s", e.Host, e.Code, e.Ref)
}

// repository is a name in a registry, asked with the credentials of the container world.
func (c *Client) repository(ctx context.Context, ref Ref) (*remote.Repository, error) {
	transport, err := c.Fetch.Unsigned()
	if err != nil {
		return nil, err
	}
	repo := &remote.Repository{Reference: ref.reference, PlainHTTP: ref.loopback() && plain(ctx, transport, ref.Host())}
	repo.SkipReferrersGC = true
	repo.Client = &auth.Client{Client: &http.Client{Transport: retry.NewTransport(transport)}, Cache: auth.NewCache(), Credential: known(), Header: http.Header{"User-Agent": {"glassjar"}}}
	return repo, nil
}

// plain reports whether a registry of this machine speaks http without a certificate.
func plain(ctx context.Context, transport http.RoundTripper, host string) bool {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, "https://"+host+"/v2/", nil)
	if err != nil {
		return false
	}
	res, err := (&http.Client{Transport: transport}).Do(r)
	if err != nil {
		return errors.Is(err, http.ErrSchemeMismatch)
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

// told is the error of a request in the words of this program.
func told(ref Ref, err error) error {
	var answer *errcode.ErrorResponse
	var offline *fetch.OfflineError
	var insecure *fetch.InsecureError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &offline):
		return &fetch.OfflineError{URL: ref.String()}
	case errors.As(err, &insecure):
		return insecure
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err
	case errors.As(err, &answer) && (answer.StatusCode == http.StatusUnauthorized || answer.StatusCode == http.StatusForbidden), errors.Is(err, auth.ErrBasicCredentialNotFound):
		code := http.StatusUnauthorized
		if answer != nil {
			code = answer.StatusCode
		}
		return &DeniedError{ref.String(), ref.Host(), code}
	case errors.Is(err, errdef.ErrNotFound), answer != nil && answer.StatusCode == http.StatusNotFound:
		return &NotThereError{ref.String()}
	case answer != nil:
		return &fetch.StatusError{URL: ref.String(), Code: answer.StatusCode}
	case errors.Is(err, content.ErrMismatchedDigest), errors.Is(err, content.ErrTrailingData):
		return &NotJarError{ref.String(), "what came is not what its digest says"}
	case errors.Is(err, errdef.ErrInvalidReference), errors.Is(err, errdef.ErrUnsupported), errors.Is(err, errdef.ErrInvalidDigest):
		return &NotJarError{ref.String(), err.Error()}
	}
	return fetch.Named(ref.String(), err)
}
