package atomicfile

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"time"

	"golang.org/x/sys/windows"

	"glassjar/core/internal/retry"
)

// replace tries for a second: another program may be reading the file just now.
func replace(from, to string) error {
	busy := func(err error) bool {
		return errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_ACCESS_DENIED)
	}
	return retry.Do(context.Background(), 12, 8*time.Millisecond, busy, func() error { return os.Rename(from, to) })
}

// likeBefore has nothing to do: a file takes its rights from its folder.
func likeBefore(string, fs.FileInfo) error { return nil }
