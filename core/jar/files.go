package jar

import (
	"os"
	"path"
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

// realFolders tells of folders of a jar whether they are folders, and not links that lead elsewhere, as
// all above them up to the root: what stands below a link is somebody else's. Each is looked at once.
type realFolders struct {
	jar  *Jar
	seen map[string]bool
}

func (j *Jar) realFolders() *realFolders { return &realFolders{j, map[string]bool{".": true}} }

// real reports whether a folder is there, and is one; dir is relative to the jar.
func (r *realFolders) real(dir string) bool {
	is, ok := r.seen[dir]
	if !ok {
		if is = r.real(path.Dir(dir)); is {
			info, err := os.Lstat(r.jar.Path(dir))
			is = err == nil && info.IsDir()
		}
		r.seen[dir] = is
	}
	return is
}

// free reports whether a folder, and each above it, is one or can be made.
func (r *realFolders) free(dir string) bool {
	for ; dir != "."; dir = path.Dir(dir) {
		if info, err := os.Lstat(r.jar.Path(dir)); err == nil && !info.IsDir() {
			return false
		}
	}
	return true
}
