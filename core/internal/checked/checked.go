// Package checked keeps what can be had again in files that tell whether they are whole: nothing of
// the cache is flushed, so that a power cut may leave a file empty or cut off.
package checked

import (
	"bytes"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"

	"glassjar/core/atomicfile"
	"glassjar/core/limits"
)

// ErrDamaged says that a file is not whole, or was kept otherwise.
var ErrDamaged = errors.New("it is not what was kept")

// Sum is a checksum, which does not withstand who wants to deceive.
func Sum(data []byte) string { return Text(crc32.Checksum(data, castagnoli())) }

// Running is [Sum] of what is written to it, as a number that [Text] writes down.
func Running() hash.Hash32 { return crc32.New(castagnoli()) }

// Text is a checksum as it is kept, of eight characters.
func Text(sum uint32) string { return fmt.Sprintf("%08x", sum) }

func castagnoli() *crc32.Table { return crc32.MakeTable(crc32.Castagnoli) }

// Write keeps data in a file: a line with its checksum, then the data.
func Write(file string, data []byte) error {
	return atomicfile.Cache(file, []byte(Sum(data)+"\n"), data)
}

// Read is what was kept in a file. The error is [ErrDamaged] where that is not whole.
func Read(file string, limit int64) ([]byte, error) {
	kept, err := limits.ReadFile(file, limit)
	if err != nil {
		return nil, err
	}
	sum, data, ok := bytes.Cut(kept, []byte("\n"))
	if !ok || string(sum) != Sum(data) {
		return nil, ErrDamaged
	}
	return data, nil
}
