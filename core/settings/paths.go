package settings

import (
	"os"
	"path/filepath"
	"strings"

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
	for key, list := range map[string][]string{"pythons": s.Pythons, "trusted": s.Trusted, "second-store": second} {
		for i := range list {
			if err := whole(file, key, &list[i]); err != nil {
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
	if rest, ok := strings.CutPrefix(*path, "~"); ok && (rest == "" || os.IsPathSeparator(rest[0])) {
		if home, err := os.UserHomeDir(); err == nil {
			*path = filepath.Join(home, rest)
		}
	}
	if *path != "" && (filepath.IsAbs(*path) || os.IsPathSeparator((*path)[0])) {
		return nil
	}
	why := "a path from where one stands would be another place in each folder: let it be a whole one, or begin with ~"
	if *path == "" {
		why = "a path is empty"
	}
	return &project.FileError{File: file, Where: key, Why: why}
}
