package atomicfile

import (
	"io/fs"
	"os"

	"glassjar/core/internal/retry"
)

// replace tries for a second: another program may be reading the file just now.
func replace(from, to string) error {
	return retry.WhileBusy(func() error { return os.Rename(from, to) })
}

// likeBefore has nothing to do: a file takes its rights from its folder.
func likeBefore(string, fs.FileInfo) error { return nil }
