package start

import "syscall"

// changed is when a file's contents, rights or name last changed, in nanoseconds.
func changed(st *syscall.Stat_t) int64 { return st.Ctimespec.Nano() }
