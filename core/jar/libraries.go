package jar

import (
	"slices"
	"strings"

	"glassjar/core/limits"
)

// librariesPath is the file with the folders without which libraries that the jar's
// packages need are not found, one a line; it is there only where there are some.
const librariesPath = ownFolder + "/libraries"

// LibraryPath are the folders in which the system's loader is to look for the jar as well.
func (j *Jar) LibraryPath() []string {
	data, err := limits.ReadFile(j.Path(librariesPath), limits.Own)
	if err != nil {
		return nil
	}
	return strings.Split(strings.TrimSpace(string(data)), "\n")
}

// NoteLibraries adds that file to a change that leads to a state.
func (j *Jar) NoteLibraries(next Moment, own map[string]OwnFile) {
	var all []string
	for _, p := range next.Packages {
		for _, dir := range p.LibraryPath {
			if !slices.Contains(all, dir) {
				all = append(all, dir)
			}
		}
	}
	switch {
	case slices.Equal(all, j.LibraryPath()):
	case len(all) == 0:
		own[librariesPath] = OwnFile{Gone: true}
	default:
		own[librariesPath] = OwnFile{Data: []byte(strings.Join(all, "\n") + "\n")}
	}
}
