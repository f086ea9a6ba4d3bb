//go:build unix

package main

import (
	"io/fs"
	"syscall"
)

// inode tells names of the same file apart from those of others.
func inode(info fs.FileInfo) (uint64, bool) {
	at, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return 0, false
	}
	return uint64(at.Ino), true
}
