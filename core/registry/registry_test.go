package registry

import (
	"context"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/opencontainers/go-digest"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
)

// Credentials are sent to the host and port that they are for, and not along with a redirect;
// what a registry refuses, it says why.
func TestCredentialsStay(t *testing.T) {
	content := "perry"
	sum := digest.FromString(content).Encoded()
	var leaked []string
	elsewhere := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		leaked = append(leaked, r.Header.Get("Authorization"))
		_, _ = io.WriteString(w, content)
	}))
	defer elsewhere.Close()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, _, ok := r.BasicAuth()
		switch {
		case !ok || user != "ida":
			w.Header().Set("WWW-Authenticate", `Basic realm="orchard"`)
			w.WriteHeader(http.StatusUnauthorized)
		case strings.Contains(r.URL.Path, "/blobs/"):
			http.Redirect(w, r, elsewhere.URL+"/blob", http.StatusTemporaryRedirect)
		default:
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(http.StatusRequestEntityTooLarge)
			_, _ = io.WriteString(w, `{"errors": [{"code": "DENIED", "message": "no room"}]}`)
		}
	}))
	defer server.Close()
	host := strings.TrimPrefix(server.URL, "http://")
	dir := t.TempDir()
	t.Setenv("DOCKER_CONFIG", dir)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "config.json"), []byte(fmt.Sprintf(`{"auths": {%q: {"auth": %q}}}`, host, base64.StdEncoding.EncodeToString([]byte("ida:cider")))), 0o600))
	c := &Client{Fetch: &fetch.Client{}}
	base, err := ParseBase("oci://" + host + "/orchard")
	require.NoError(t, err)
	body, err := c.OpenFile(context.Background(), FileURL(base, "press", Blob{Name: "press-1.whl", SHA256: sum}), int64(len(content)))
	require.NoError(t, err)
	defer body.Close()
	got, err := io.ReadAll(body)
	require.NoError(t, err)
	assert.Equal(t, content, string(got))
	assert.Equal(t, []string{""}, leaked)

	_, err = c.Releases(context.Background(), base, "press")
	var refused *RefusedError
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, "denied: no room", refused.Said)
}
