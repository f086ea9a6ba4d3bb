package atomicfile

import (
	"io/fs"
)

// likeBefore has nothing to do: a file takes its rights from its folder.
func likeBefore(string, fs.FileInfo) error { return nil }
