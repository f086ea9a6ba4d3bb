//go:build unix

package durable

import (
	"os"
	"syscall"
)

// SameDisk reports whether two folders are on one file system.
func SameDisk(a, b string) bool {
	x, err := os.Stat(a)
	y, err2 := os.Stat(b)
	if err != nil || err2 != nil {
		return false
	}
	p, ok := x.Sys().(*syscall.Stat_t)
	q, ok2 := y.Sys().(*syscall.Stat_t)
	return ok && ok2 && p.Dev == q.Dev
}
