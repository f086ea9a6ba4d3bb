package metadata

import (
	"bytes"
	"encoding/base64"
	"encoding/csv"
	"encoding/hex"
	"io"
	"sort"
	"strconv"
	"strings"
)

// RecordEntry is one line of a RECORD file.
type RecordEntry struct {
	// Path is relative to the site folder, with '/' between its parts, or
	// absolute.
	Path string
	// Hash is "algorithm=value" with the value in URL-safe base64 without
	// padding; empty for files that are not hashed (RECORD itself).
	Hash string
	// Size is in bytes, or -1 where none is given.
	Size int64
}

// ParseRecord reads a RECORD file. The error wraps [ErrInvalid].
func ParseRecord(data []byte) ([]RecordEntry, error) {
	r := csv.NewReader(bytes.NewReader(data))
	r.FieldsPerRecord = -1
	r.ReuseRecord = true
	var out []RecordEntry
	for {
		row, err := r.Read()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return nil, Invalid("RECORD: %v", err)
		}
		if len(row) > 3 || row[0] == "" {
			return nil, Invalid("RECORD: a line has %d fields: %s", len(row), strings.Join(row, ","))
		}
		e := RecordEntry{Path: row[0], Size: -1}
		if len(row) > 1 {
			e.Hash = row[1]
		}
		if len(row) > 2 && row[2] != "" {
			if e.Size, err = strconv.ParseInt(row[2], 10, 64); err != nil || e.Size < 0 {
				return nil, Invalid("RECORD: %q is not a size, for %s", row[2], e.Path)
			}
		}
		out = append(out, e)
	}
}

// FormatRecord writes entries sorted by path, so that equal contents give equal
// bytes.
func FormatRecord(entries []RecordEntry) []byte {
	sorted := append([]RecordEntry(nil), entries...)
	sort.Slice(sorted, func(i, j int) bool { return sorted[i].Path < sorted[j].Path })
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	for _, e := range sorted {
		size := ""
		if e.Size >= 0 {
			size = strconv.FormatInt(e.Size, 10)
		}
		_ = w.Write([]string{e.Path, e.Hash, size}) // a bytes.Buffer takes all
	}
	w.Flush()
	return b.Bytes()
}

// RecordHash writes a SHA-256 as RECORD does.
func RecordHash(sum [32]byte) string {
	return "sha256=" + base64.RawURLEncoding.EncodeToString(sum[:])
}

// HexOfRecordHash turns "sha256=..." into lower-case hex; false for anything
// else.
func HexOfRecordHash(hash string) (string, bool) {
	value, ok := strings.CutPrefix(hash, "sha256=")
	raw, err := base64.RawURLEncoding.DecodeString(strings.TrimRight(value, "="))
	if !ok || err != nil || len(raw) != 32 {
		return "", false
	}
	return hex.EncodeToString(raw), true
}
