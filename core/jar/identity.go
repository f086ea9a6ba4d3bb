package jar

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"
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

// baseFile holds what the interpreter's file looked like when it was last asked
// what it is.
const baseFile = ownFolder + "/base"

// BaseChanged reports whether the file of the interpreter is another than when
// it was last asked, and what to note once it was asked again. The jar's base is
// there.
func (j *Jar) BaseChanged(base string) (mark string, changed bool) {
	info, err := os.Stat(base)
	if err != nil {
		return "", false
	}
	mark = fmt.Sprintf("%d %d\n", info.Size(), info.ModTime().UnixNano())
	have, err := os.ReadFile(j.Path(baseFile))
	return mark, err != nil || string(have) != mark
}

// NoteBase notes what the interpreter's file looks like. A jar that may not be
// written to is asked anew each time.
func (j *Jar) NoteBase(mark string) { _ = writeFile(j.Path(baseFile), []byte(mark)) }

// NewID gives the jar a new identity, and is empty for a jar that may not be
// written to.
func (j *Jar) NewID() string {
	raw := make([]byte, 16)
	_, _ = rand.Read(raw) // never fails
	id := hex.EncodeToString(raw)
	if writeFile(j.Path(idFile), []byte(id+"\n")) != nil {
		return ""
	}
	return id
}
