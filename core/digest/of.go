package digest

import (
	"crypto/sha256"
	"encoding/hex"
)

// Of is the SHA-256 of bytes, in hexadecimal.
func Of(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}
