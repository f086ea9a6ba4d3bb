package jar

import (
	"crypto/rand"
	"encoding/hex"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/internal/lazy"
)

// idFile holds the jar's identity: random, and no part of its contents.
const idFile = ownFolder + "/id"

var validID = lazy.Pattern(`^[0-9a-f]{32}$`)

// ID is the jar's identity, by which it is known again when it was moved; empty
// for one that has none yet.
func (j *Jar) ID() string { return IDOf(j.Root) }

// IDOf is the identity of the jar at root, empty if there is none.
func IDOf(root string) string {
	data, err := os.ReadFile(filepath.Join(root, filepath.FromSlash(idFile)))
	if id := strings.TrimSpace(string(data)); err == nil && validID().MatchString(id) {
		return id
	}
	return ""
}

// NewID gives the jar a new identity, and is empty for a jar that may not be
// written to.
func (j *Jar) NewID() string {
	raw := make([]byte, 16)
	_, _ = rand.Read(raw) // never fails
	id := hex.EncodeToString(raw)
	if writeFile(j.Path(idFile), []byte(id+"\n"), 0o644) != nil {
		return ""
	}
	return id
}
