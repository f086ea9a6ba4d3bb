package sample_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/wheel"
	_ "glassjar/internal/long"
	"glassjar/sample"
)

// The bytes of the whole sample, as one hash: it changes when a source does,
// and must not differ between systems.
const fingerprint = "6e4f92ed69bba081baa23c273ea7fcb0204b0a1e86df64e568f4cc8feb83968b"

func TestEveryFileIsAWheelThatReads(t *testing.T) {
	releases := map[string]bool{}
	all := sha256.New()
	for _, name := range sample.Names() {
		for _, f := range sample.Files(name) {
			releases[name+" "+f.Uploaded.String()] = true
			io.WriteString(all, f.Name+" "+f.SHA256+"\n")
			if strings.HasSuffix(f.Name, ".tar.gz") {
				continue
			}
			w, err := wheel.Open(bytes.NewReader(f.Data), int64(len(f.Data)), f.Name, wheel.LimitsFor("windows"))
			require.NoError(t, err)
			assert.Equal(t, name, w.Metadata.Key())
			for _, e := range w.Entries {
				require.NoError(t, w.Copy(io.Discard, e))
			}
		}
	}
	assert.GreaterOrEqual(t, len(sample.Names()), 24)
	assert.GreaterOrEqual(t, len(releases), 70)
	assert.Equal(t, fingerprint, hex.EncodeToString(all.Sum(nil)))
}

func TestUnknownNameHasNoFiles(t *testing.T) {
	assert.Empty(t, sample.Files("quince-jelly"))
}
