package index

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"time"

	"glassjar/core/digest"
	"glassjar/core/internal/keptmap"
)

// keptSum is the hash of a file as it was when it had this size and time.
type keptSum struct {
	Size   int64  `json:"size"`
	Time   int64  `json:"time"`
	SHA256 string `json:"sha256"`
}

// trustedAge is how old a file must be for its hash to be kept: one that was just
// written may be written again within the same tick of the clock.
const trustedAge = 2 * time.Second

// KeepSums keeps the hashes of the folder's files in a folder of the cache, so
// that what has not changed is not read again. A file that is taken from the
// index is compared with its hash in any case. sums remembers those of this process.
func (d *Folder) KeepSums(dir string, sums *digest.Files) *Folder {
	sum := sha256.Sum256([]byte(d.dir))
	d.sums, d.sumsFile = sums, filepath.Join(dir, hex.EncodeToString(sum[:12])+".json")
	return d
}

// loadSums reads what was kept, once. The lock is held.
func (d *Folder) loadSums() {
	if d.kept == nil {
		d.kept = keptmap.Read[keptSum](d.sumsFile)
	}
}

func (d *Folder) hash(ctx context.Context, path string) (string, error) {
	info, err := os.Stat(path)
	if err != nil {
		return "", err
	}
	if sum, ok := d.known(path, info); ok {
		return sum, nil
	}
	sum, err := d.sums.Sum(ctx, path)
	if err != nil {
		return "", err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.hashed[path] = sum
	if time.Since(info.ModTime()) > trustedAge {
		d.kept[path] = keptSum{info.Size(), info.ModTime().UnixNano(), sum}
		if d.learned == nil {
			d.learned = map[string]keptSum{}
		}
		d.learned[path] = d.kept[path]
	}
	return sum, nil
}

// known is a hash that was worked out before.
func (d *Folder) known(path string, info os.FileInfo) (string, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if sum, ok := d.hashed[path]; ok {
		return sum, true
	}
	d.loadSums()
	if k, ok := d.kept[path]; ok && k.Size == info.Size() && k.Time == info.ModTime().UnixNano() {
		d.hashed[path] = k.SHA256
		return k.SHA256, true
	}
	return "", false
}

// saveSums writes what was learned. Where that fails the files are read again.
func (d *Folder) saveSums() {
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.learned) > 0 && d.sumsFile != "" {
		keptmap.Add(d.sumsFile, d.learned, func(string, keptSum) bool { return false })
		d.learned = nil
	}
}
