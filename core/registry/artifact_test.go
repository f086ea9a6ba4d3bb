package registry

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"

	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"oras.land/oras-go/v2/content"

	"glassjar/core/fetch"
	_ "glassjar/internal/long"
)

// A registry that gives other bytes than a digest says, or something else than a jar, is told;
// nothing of it is taken.
func TestOpenRefuses(t *testing.T) {
	record := []byte("lock-version = \"1.0\"\n")
	manifest, err := json.Marshal(ocispec.Manifest{MediaType: ocispec.MediaTypeImageManifest, ArtifactType: TypeJar, Config: content.NewDescriptorFromBytes(TypeRecord, record)})
	require.NoError(t, err)
	index := func(kind string) []byte {
		text, err := json.Marshal(ocispec.Index{MediaType: ocispec.MediaTypeImageIndex, ArtifactType: kind, Manifests: []ocispec.Descriptor{content.NewDescriptorFromBytes(ocispec.MediaTypeImageManifest, manifest)}})
		require.NoError(t, err)
		return text
	}
	for _, c := range []struct {
		says                    string
		index, manifest, record []byte
	}{
		{"", index(TypeJar), manifest, record},
		{"another kind", index("application/vnd.press"), manifest, record},
		{"not what its digest says", index(TypeJar), append([]byte(" "), manifest[1:]...), record},
		{"not what its digest says", index(TypeJar), manifest, []byte(strings.ToUpper(string(record)))},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			text, kind := c.record, "application/octet-stream"
			if at := strings.TrimPrefix(r.URL.Path, "/v2/press/manifests/"); at == "1.0" || at == content.NewDescriptorFromBytes("", c.index).Digest.String() {
				text, kind = c.index, ocispec.MediaTypeImageIndex
			} else if at != r.URL.Path {
				text, kind = c.manifest, ocispec.MediaTypeImageManifest
			}
			w.Header().Set("Content-Type", kind)
			if r.Method != http.MethodHead {
				_, _ = w.Write(text)
				return
			}
			w.Header().Set("Docker-Content-Digest", content.NewDescriptorFromBytes("", text).Digest.String())
			w.Header().Set("Content-Length", "0")
			if kind == ocispec.MediaTypeImageIndex {
				w.Header().Set("Content-Length", strconv.Itoa(len(text)))
			}
		}))
		ref, err := Parse("oci://" + strings.TrimPrefix(server.URL, "http://") + "/press:1.0")
		require.NoError(t, err)
		a, err := (&Client{Fetch: &fetch.Client{}}).Open(t.Context(), ref)
		if c.says == "" {
			require.NoError(t, err)
			assert.Equal(t, record, a.Record)
		} else {
			var other *NotJarError
			require.ErrorAs(t, err, &other, c.says)
			assert.Contains(t, err.Error(), c.says)
		}
		server.Close()
	}
}
