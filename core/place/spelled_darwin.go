package place

import "os"

// spelled is a path as its folders have it: volumes are mostly made so that they do not tell
// letter case apart.
func spelled(path string) string {
	return spelling(path, namesIn, func(path string) bool {
		_, err := os.Lstat(path)
		return err == nil
	})
}

// namesIn are the names in a folder, none where it cannot be read.
func namesIn(dir string) []string {
	f, err := os.Open(dir)
	if err != nil {
		return nil
	}
	defer f.Close()
	names, _ := f.Readdirnames(-1) // a part that is not among them stays as it is
	return names
}
