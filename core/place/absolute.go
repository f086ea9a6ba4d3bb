package place

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// Absolute is a path as a user who stands in dir, which is absolute, gave it. On Windows it
// may also begin at the drive ("\wheels"), or at where one stands on a drive ("C:wheels").
// Where the system does not tell letter case apart, each part is as its folder has it, so
// that one place has one name.
func Absolute(dir, path string) string {
	switch drive := filepath.VolumeName(path); {
	case filepath.IsAbs(path):
	case drive != "" && strings.EqualFold(drive, filepath.VolumeName(dir)):
		path = filepath.Join(dir, path[len(drive):])
	case drive != "":
		if abs, err := filepath.Abs(path); err == nil { // the system knows where one stands there
			path = abs
		}
	case path != "" && os.IsPathSeparator(path[0]):
		path = filepath.VolumeName(dir) + path
	default:
		path = filepath.Join(dir, path)
	}
	return spelled(filepath.Clean(path))
}

// spelling is an absolute path, each part as its folder has it. names are those in a folder,
// and there tells whether a path leads to something: on a disk that does tell letter case
// apart, nothing is taken for another.
func spelling(path string, names func(dir string) []string, there func(path string) bool) string {
	top := string(filepath.Separator)
	out, parts := top, strings.Split(strings.TrimPrefix(path, top), top)
	for i, part := range parts {
		have := names(out)
		if !slices.Contains(have, part) {
			k := slices.IndexFunc(have, func(name string) bool { return strings.EqualFold(name, part) })
			if k < 0 || !there(filepath.Join(out, part)) { // new, or not to be seen
				return filepath.Join(append([]string{out}, parts[i:]...)...)
			}
			part = have[k]
		}
		out = filepath.Join(out, part)
	}
	return out
}
