//go:build unix

package jar

import (
	"errors"
	"io/fs"
	"os"
	"syscall"
)

// groupMay is the right of the group to write, if the user's mask leaves it: all
// that this program takes of the mask for a jar. masked tells that the mask takes or
// leaves something else. The mask is asked for when the program starts: asking sets it,
// for whatever makes a file meanwhile.
var groupMay, masked = func() (os.FileMode, bool) {
	mask := syscall.Umask(0)
	syscall.Umask(mask)
	group := os.FileMode(0o020 &^ mask)
	return group, os.FileMode(0o777&^mask) != 0o755|group
}()

// setMode gives a file that was just made with all rights to write the mode that it
// has not got by the user's mask; a folder of a group stays one.
func setMode(file string, mode os.FileMode) error {
	if !masked {
		return nil
	}
	info, err := os.Lstat(file)
	if err != nil {
		return err
	}
	return os.Chmod(file, mode|info.Mode()&os.ModeSetgid)
}

// linkCount is how many names a file has.
func linkCount(info fs.FileInfo) uint64 {
	if s, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(s.Nlink)
	}
	return 1
}

func crossDevice(err error) bool { return errors.Is(err, syscall.EXDEV) }
