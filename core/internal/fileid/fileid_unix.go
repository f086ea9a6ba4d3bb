//go:build unix

package fileid

import (
	"io/fs"
	"os"
	"strconv"
	"syscall"
)

// Of is the file that a path leads to.
func Of(path string) (ID, error) { return of(os.Stat(path)) }

// OfLink is what stands at a path, a link itself if it is one.
func OfLink(path string) (ID, error) { return of(os.Lstat(path)) }

func of(info fs.FileInfo, err error) (ID, error) {
	if err != nil {
		return ID{}, err
	}
	st, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return ID{}, fs.ErrInvalid
	}
	id := ID{Device: uint64(st.Dev), File: uint64(st.Ino), Owner: strconv.Itoa(int(st.Uid))}
	if info.Mode()&fs.ModeSymlink == 0 { // the rights of a link mean nothing
		id.Group, id.All = info.Mode()&0o020 != 0, info.Mode()&0o002 != 0
	}
	return id, nil
}

func mine(owner string) bool { return owner == strconv.Itoa(os.Getuid()) }
