package signature_test

import (
	"crypto/ed25519"
	"crypto/rand"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"glassjar/core/signature"
	_ "glassjar/internal/long"
)

func newKey(t *testing.T) (ssh.Signer, string) {
	_, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	signer, err := ssh.NewSignerFromKey(private)
	require.NoError(t, err)
	return signer, strings.TrimSpace(string(ssh.MarshalAuthorizedKey(signer.PublicKey())))
}

// Who signed is told by the line that lists the key, as far as it counts; see ssh-keygen(1),
// "ALLOWED SIGNERS".
func TestSigners(t *testing.T) {
	signer, key := newKey(t)
	_, other := newKey(t)
	record := []byte("lock-version = \"1.0\"\n")
	sig, _, err := signature.Sign(signer, record)
	require.NoError(t, err)
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct{ line, who, why string }{
		{"perry@orchard.example " + key, "perry@orchard.example", ""},
		{"\"perry,quince\"  " + key + " a comment", "perry, quince", ""},
		{"# perry " + key, "", "its key is not listed"},
		{"", "", "its key is not listed"},
		{"perry " + other, "", "its key is not listed"},
		{"perry " + other + "\nquince " + key, "quince", ""},
		{"perry valid-before=\"20260101Z\" " + key + "\nquince " + key, "quince", ""},
		{"perry namespaces=\"file,record@glassjar\" " + key, "perry", ""},
		{"perry namespaces=\"*@glassjar,!record@*\" " + key, "", "lets it sign other things only"},
		{"perry namespaces=\"git\" " + key, "", "lets it sign other things only"},
		{"perry valid-after=\"20260601Z\",valid-before=\"202606011201Z\" " + key, "perry", ""},
		{"perry valid-after=\"20260601120001Z\" " + key, "", "counts only from 2026-06-01 12:00:01"},
		{"perry valid-before=\"202606011159Z\" " + key, "", "counted only until 2026-06-01 11:59:00"},
		{"perry cert-authority " + key, "", "its key is not listed"},
	} {
		signers, err := signature.ParseSigners("signers", []byte(c.line+"\n"))
		require.NoError(t, err, c.line)
		signed, err := signers.Verify("pylock.toml", record, sig, now)
		if c.why != "" {
			assert.ErrorContains(t, err, c.why, c.line)
			continue
		}
		require.NoError(t, err, c.line)
		assert.Equal(t, c.who, signed.String())
		_, err = signers.Verify("pylock.toml", append(record, '\n'), sig, now)
		assert.ErrorContains(t, err, "it is not what was signed")
	}
	assert.False(t, signature.Stale(record, sig))
	assert.True(t, signature.Stale(record[1:], sig))
	assert.False(t, signature.Stale(record, []byte("something else")))
	for line, why := range map[string]string{
		"perry":                             "no key that can be read",
		"perry, " + key:                     "it names nobody",
		"perry ssh-ed25519 AAAA":            "no key that can be read",
		"perry valid-after=\"soon\" " + key: "is no time",
		"perry no-touch-required " + key:    `"no-touch-required" is no option`,
	} {
		_, err := signature.ParseSigners("signers", []byte("\n"+line))
		require.Error(t, err, line)
		assert.ErrorContains(t, err, "signers: line 2: ", line)
		assert.ErrorContains(t, err, why, line)
	}
}

func FuzzSigners(f *testing.F) {
	f.Add("perry,!bosc namespaces=\"a,b\" ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKZ0 c", "-----BEGIN SSH SIGNATURE-----\nU1NIU0lH\n-----END SSH SIGNATURE-----\n")
	f.Fuzz(func(t *testing.T, list, sig string) {
		signers, err := signature.ParseSigners("signers", []byte(list))
		if err != nil {
			return
		}
		if _, err := signers.Verify("pylock.toml", []byte("record"), []byte(sig), time.Unix(0, 0)); err == nil {
			t.Errorf("%q counts as a signature", sig)
		}
	})
}
