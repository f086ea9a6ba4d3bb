//go:build linux || darwin

package start

import (
	"io/fs"
	"os"
	"strconv"
	"syscall"
	"time"
)

// endings are those of a program's file.
var endings = []string{""}

func (m mark) look() (fs.FileInfo, *syscall.Stat_t, error) {
	look := os.Lstat
	if m.Kind == Target {
		look = os.Stat
	}
	info, err := look(m.Path)
	if err != nil {
		return nil, nil, err
	}
	st, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return nil, nil, fs.ErrInvalid
	}
	return info, st, nil
}

// now is what a mark looks like; empty where that cannot be told.
func (m mark) now() string {
	info, st, err := m.look()
	switch {
	case os.IsNotExist(err):
		return absent
	case err != nil:
		return ""
	}
	t := numbers(uint64(st.Dev), st.Ino, uint64(st.Mode), uint64(st.Uid))
	if m.Kind != Folder {
		t += numbers(uint64(st.Size), uint64(info.ModTime().UnixNano()), uint64(changed(st)))
	}
	return t
}

// fresh reports whether a file changed so lately that one more change might not show, or
// cannot be looked at.
func (m mark) fresh() bool {
	_, st, err := m.look()
	if os.IsNotExist(err) || err == nil && m.Kind == Folder {
		return false
	}
	return err != nil || time.Now().UnixNano()-changed(st) < settled(changed(st))
}

func numbers(of ...uint64) (t string) {
	for _, n := range of {
		t += strconv.FormatUint(n, 36) + " "
	}
	return t
}

// own reports whether a file is this user's, and nobody else may write to it.
func own(file string) bool {
	var st syscall.Stat_t
	err := syscall.Lstat(file, &st)
	return err == nil && int(st.Uid) == os.Geteuid() && os.Getuid() == os.Geteuid() &&
		uint32(st.Mode)&(syscall.S_IFMT|0o022) == syscall.S_IFREG
}

// longest is how many bytes a file may have that is read here.
const longest = 1<<16 - 1

// contents is what is in a short file. It is read without what os makes ready for reading
// that may wait, which takes longer than all the rest.
func contents(file string) (string, error) {
	f, err := syscall.Open(file, syscall.O_RDONLY|syscall.O_CLOEXEC, 0)
	if err != nil {
		return "", err
	}
	defer func() { _ = syscall.Close(f) }() // it was read only
	var st syscall.Stat_t
	if err := syscall.Fstat(f, &st); err != nil {
		return "", err
	}
	if st.Size > longest {
		return "", syscall.EFBIG
	}
	// As much as it has and not as much as it may: the stack would have to grow for the rest,
	// and each of its pages be made.
	data := make([]byte, st.Size+1)
	have := 0
	for have < len(data) {
		n, err := syscall.Read(f, data[have:])
		switch {
		case err == syscall.EINTR:
		case err != nil:
			return "", err
		case n == 0:
			return string(data[:have]), nil
		default:
			have += n
		}
	}
	return "", syscall.EFBIG
}

// isBinary reports whether a file is a program of machine code (ELF, Mach-O) and no script.
func isBinary(file string) bool {
	f, err := syscall.Open(file, syscall.O_RDONLY|syscall.O_CLOEXEC, 0)
	if err != nil {
		return false
	}
	defer func() { _ = syscall.Close(f) }() // it was read only
	var head [4]byte
	if n, err := syscall.Read(f, head[:]); err != nil || n < len(head) {
		return false
	}
	switch string(head[:]) {
	case "\x7fELF", "\xcf\xfa\xed\xfe", "\xca\xfe\xba\xbe":
		return true
	}
	return false
}
