package store

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"glassjar/core/digest"
	"glassjar/core/metadata"
)

// A content stands in the folder "files" under the SHA-256 of its bytes. It is
// filled at its place, and is whole from the moment on that nobody may write to
// it: until then it has the mode of a file that can only be written.

// Stamp is the modification time that a content has, in the store and in jars:
// whole seconds between 2001 and 2009, taken from its hash. So bytecode, which
// notes the time of its source, is the same for every jar and machine; a source
// that was edited has another time; and two contents of the same length, between
// which Python could not tell otherwise, have different ones.
func Stamp(sum string) time.Time {
	n, _ := strconv.ParseInt(sum[:min(7, len(sum))], 16, 64) // of a SHA-256 it never fails
	return time.Unix(978_307_200+n, 0)                       // 2001-01-01, UTC
}

// writable are the bits that a whole content does not have.
const writable = 0o222

// filePath is where a content stands.
func (s *Store) filePath(sum string, executable bool) string {
	if executable {
		sum += "-x"
	}
	return filepath.Join(s.Dir, "files", sum[:2], sum)
}

// whole reports whether a file is a content that was written to its end.
func whole(info fs.FileInfo) bool {
	return info.Mode().IsRegular() && info.Mode().Perm()&writable == 0
}

// modeOf is read-only: a jar's file may be this very file, and is not to be
// changed in place by accident.
func modeOf(executable bool) os.FileMode {
	if executable {
		return 0o555
	}
	return 0o444
}

// checkContent compares a content with its name. One that is not what it should
// be is removed; false then.
func checkContent(ctx context.Context, path, sum string) (bool, error) {
	have, err := digest.OfFile(ctx, path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return false, nil
	case err != nil:
		return false, err
	case have == sum:
		return true, nil
	}
	return false, os.Remove(path)
}

// recordHash is a SHA-256 in hex as RECORD writes it.
func recordHash(sum string) string {
	var raw [32]byte
	if _, err := hex.Decode(raw[:], []byte(sum)); err != nil {
		return ""
	}
	return metadata.RecordHash(raw)
}

// LostError says that the store lacks files that it should have. Err is how that was
// seen.
type LostError struct {
	// Trees is how many package files have to be fetched and unpacked anew.
	Trees int
	Err   error
}

func (e *LostError) Error() string {
	return fmt.Sprintf("the store has lost files that %d package files unpack to", e.Trees)
}

func (e *LostError) Unwrap() error { return e.Err }
