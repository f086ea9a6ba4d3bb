package source

import (
	"fmt"
	"runtime"
	"unsafe"

	"golang.org/x/sys/unix"
)

// The numbers of a processor's calls, and its name in the kernel's filters.
type machine struct {
	audit                 uint32
	socket, ioUring, most uint32
}

var machines = map[string]machine{
	"amd64": {unix.AUDIT_ARCH_X86_64, 41, 425, 0x40000000},
	"arm64": {unix.AUDIT_ARCH_AARCH64, 198, 425, 0},
}

// filterSockets has the kernel refuse sockets: in a closed room those of the file system,
// which may stand in a folder of the system; without namespaces every kind. A pair of
// sockets between processes of the build stays.
func filterSockets(namespaces bool) error {
	m, ok := machines[runtime.GOARCH]
	if !ok {
		if namespaces {
			return nil // there is no network, and the usual places of sockets are hidden
		}
		return fmt.Errorf("there is no filter for %s", runtime.GOARCH)
	}
	const (
		load  = unix.BPF_LD | unix.BPF_W | unix.BPF_ABS
		equal = unix.BPF_JMP | unix.BPF_JEQ | unix.BPF_K
		least = unix.BPF_JMP | unix.BPF_JGE | unix.BPF_K
		ret   = unix.BPF_RET | unix.BPF_K
	)
	refuse := unix.SockFilter{Code: ret, K: 0x00050000 | uint32(unix.EACCES)}  // SECCOMP_RET_ERRNO
	unknown := unix.SockFilter{Code: ret, K: 0x00050000 | uint32(unix.ENOSYS)} // the same
	allow := unix.SockFilter{Code: ret, K: 0x7fff0000}                         // SECCOMP_RET_ALLOW
	filter := []unix.SockFilter{
		{Code: load, K: 4}, // of which machine the call is
		{Code: equal, K: m.audit, Jt: 1},
		unknown,
		{Code: load, K: 0}, // its number
	}
	if m.most != 0 {
		filter = append(filter, unix.SockFilter{Code: least, K: m.most, Jf: 1}, unknown)
	}
	filter = append(filter,
		unix.SockFilter{Code: equal, K: m.ioUring, Jf: 1}, // it opens sockets, too
		unknown,
		unix.SockFilter{Code: equal, K: m.socket, Jt: 1},
		allow)
	if namespaces {
		filter = append(filter,
			unix.SockFilter{Code: load, K: 16}, // the family
			unix.SockFilter{Code: equal, K: unix.AF_UNIX, Jt: 1},
			allow)
	}
	filter = append(filter, refuse)
	program := unix.SockFprog{Len: uint16(len(filter)), Filter: &filter[0]}
	return unix.Prctl(unix.PR_SET_SECCOMP, unix.SECCOMP_MODE_FILTER, uintptr(unsafe.Pointer(&program)), 0, 0)
}
