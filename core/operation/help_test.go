package operation

import "glassjar/core/project"

func jarParts(group, extra string) project.Parts {
	return project.Parts{Groups: []string{group}, Extras: []string{extra}}
}
