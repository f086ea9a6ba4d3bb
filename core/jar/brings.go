package jar

import (
	"path"
	"slices"
	"strings"

	"glassjar/core/metadata"
)

// Imports are the names under which a distribution's modules are imported, from
// its RECORD; none if that cannot be read.
func (j *Jar) Imports(d Installed) []string {
	var below []string
	for _, f := range j.filesOrNone(d) {
		for _, site := range j.Sites() {
			if rest, ok := strings.CutPrefix(f.Path, site+"/"); ok {
				below = append(below, rest)
				break
			}
		}
	}
	return metadata.ImportNames(below)
}

// Scripts are the commands that a distribution brings.
func (j *Jar) Scripts(d Installed) []string {
	var out []string
	bin := j.Layout().Scripts()
	for _, f := range j.filesOrNone(d) {
		if dir := path.Dir(f.Path); dir == bin || j.Layout().launcherOf(f.Path) != "" {
			out = append(out, strings.TrimSuffix(path.Base(f.Path), ".exe"))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (j *Jar) filesOrNone(d Installed) []File {
	files, err := j.Files(d)
	if err != nil {
		return nil
	}
	return files
}
