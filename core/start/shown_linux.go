package start

import (
	"syscall"
	"unsafe"
)

// shown is what the program reads from and prints to: of each whether it is a terminal, and how
// large that is.
func shown() (t string) {
	for fd := range uintptr(3) {
		var size struct{ rows, columns, width, height uint16 }
		_, _, errno := syscall.Syscall(syscall.SYS_IOCTL, fd, syscall.TIOCGWINSZ, uintptr(unsafe.Pointer(&size)))
		if errno != 0 {
			t += "- "
			continue
		}
		t += numbers(uint64(size.columns), uint64(size.rows))
	}
	return t
}
