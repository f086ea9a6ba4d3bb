package atomicfile

import (
	"errors"
	"io/fs"
	"os"
	"time"

	"golang.org/x/sys/windows"
)

// replace tries for a second: another program may be reading the file just now.
func replace(from, to string) (err error) {
	for range 50 {
		err = os.Rename(from, to)
		if !errors.Is(err, windows.ERROR_SHARING_VIOLATION) && !errors.Is(err, windows.ERROR_ACCESS_DENIED) {
			return err
		}
		time.Sleep(20 * time.Millisecond)
	}
	return err
}

// likeBefore has nothing to do: a file takes its rights from its folder.
func likeBefore(string, fs.FileInfo) error { return nil }
