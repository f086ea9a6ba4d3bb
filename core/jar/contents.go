package jar

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
)

// contentsSum is a hash of what a distribution's RECORD says of its files, those
// left out that say how it came here.
func contentsSum(sorted []File) string {
	h := sha256.New()
	for _, f := range sorted {
		switch filepath.Base(f.Path) {
		case "INSTALLER", "REQUESTED", "RECORD", "direct_url.json":
		default:
			fmt.Fprintf(h, "%s %s\n", f.Path, f.Hash)
		}
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Dangling are the links of the jar that lead nowhere, and the parts of its own
// structure that are missing. A state of the history that cannot be read is none of these: it is not
// in the history.
func (j *Jar) Dangling() []string {
	var out []string
	for _, name := range append(j.Layout().PythonNames(), "pyvenv.cfg") {
		if _, err := os.Stat(j.Path(name)); err != nil {
			out = append(out, name)
		}
	}
	for name := range activation(j.Layout()) {
		file := j.Layout().Scripts() + "/" + name
		if _, err := os.Stat(j.Path(file)); err != nil {
			out = append(out, file)
		}
	}
	seen := map[string]bool{}
	for _, name := range out {
		seen[name] = true
	}
	_ = filepath.WalkDir(j.Root, func(file string, e fs.DirEntry, err error) error {
		if err != nil || e.Type()&fs.ModeSymlink == 0 || filepath.Dir(file) == j.Path(historyFolder) {
			return nil
		}
		if _, err := os.Stat(file); err != nil {
			if rel, err := filepath.Rel(j.Root, file); err == nil && !seen[filepath.ToSlash(rel)] {
				out = append(out, filepath.ToSlash(rel))
			}
		}
		return nil
	})
	sort.Strings(out)
	return out
}

// Size is how many bytes the jar's files take, and how many of these are shared
// with other places by links.
func (j *Jar) Size() (bytes, shared int64) {
	_ = filepath.WalkDir(j.Root, func(_ string, e fs.DirEntry, err error) error {
		if err != nil || !e.Type().IsRegular() {
			return nil
		}
		if info, err := e.Info(); err == nil {
			bytes += info.Size()
			if linkCount(info) > 1 {
				shared += info.Size()
			}
		}
		return nil
	})
	return bytes, shared
}

// OtherSizes reports whether a file of a distribution is missing or has another
// size than its RECORD says: what can be told without reading every file.
func (j *Jar) OtherSizes(installed []Installed) bool {
	for _, d := range installed {
		files, err := j.Files(d)
		if err != nil {
			return true
		}
		for _, f := range files {
			info, err := os.Lstat(j.Path(f.Path))
			if err != nil || f.Size >= 0 && info.Size() != f.Size {
				return true
			}
		}
	}
	return false
}
