package jar

import (
	"os"
	"path/filepath"
	"runtime"

	"glassjar/core/atomicfile"
)

const onWindows = runtime.GOOS == "windows"

// makeFolder makes a folder and those above it. Of the user's mask only that counts
// which is for the group, so that the same jar comes of it everywhere, and a
// group's jar can be shared; a folder of a group keeps it.
func makeFolder(dir string) error {
	err := os.Mkdir(dir, 0o777)
	if parent := filepath.Dir(dir); os.IsNotExist(err) && parent != dir {
		if err := makeFolder(parent); err != nil {
			return err
		}
		err = os.Mkdir(dir, 0o777)
	}
	if info, err2 := os.Stat(dir); err != nil && err2 == nil && info.IsDir() {
		return nil // it was there
	}
	if err == nil {
		err = setMode(dir, 0o755|groupMay)
	}
	return err
}

// noteFile is writeFile for a jar that may be discarded just now: where it was, nothing is made.
func noteFile(file string, data []byte) error {
	return atomicfile.CacheThere(file, data)
}

// writeFile writes a file that can be had again, whole.
func writeFile(file string, data []byte) error {
	return atomicfile.Cache(file, data)
}
