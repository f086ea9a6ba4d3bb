package operation

import "glassjar/core/jar"

func jarParts(group, extra string) jar.Parts {
	return jar.Parts{Groups: []string{group}, Extras: []string{extra}}
}
