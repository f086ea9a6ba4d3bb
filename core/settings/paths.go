package settings

import (
	"os"
	"path/filepath"

	"glassjar/core/project"
)

// wholePaths makes the paths of the settings whole: one that begins with "~" is in the user's
// home. One that would be another place in each folder is refused.
func (s *Settings) wholePaths(file string) error {
	for _, one := range []struct {
		key  string
		path *string
	}{{"store", &s.Store}, {"shelf", &s.Shelf}, {"commands", &s.Commands}, {"certificates", &s.Certificates}, {"signers", &s.Signers}} {
		if *one.path == "" {
			continue // as if it were not set
		}
		if err := whole(file, one.key, one.path); err != nil {
			return err
		}
	}
	second, _ := folders(s.SecondStore)
	for _, several := range []struct {
		key   string
		paths []string
	}{{"pythons", s.Pythons}, {"trusted", s.Trusted}, {"second-store", second}} {
		for i := range several.paths {
			if err := whole(file, several.key, &several.paths[i]); err != nil {
				return err
			}
		}
	}
	if len(second) > 0 {
		all := make([]any, len(second))
		for i, dir := range second {
			all[i] = dir
		}
		s.SecondStore = all
	}
	return nil
}

func whole(file, key string, path *string) error {
	*path = project.FromHome(*path)
	if *path != "" && (filepath.IsAbs(*path) || os.IsPathSeparator((*path)[0])) {
		return nil
	}
	why := "a path from where one stands would be another place in each folder: let it be a whole one, or begin with ~"
	if *path == "" {
		why = "a path is empty"
	}
	return &project.FileError{File: file, Where: key, Why: why}
}
