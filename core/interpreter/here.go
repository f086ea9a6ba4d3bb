package interpreter

import (
	"debug/elf"
	"fmt"
	"path/filepath"
	"runtime"

	"golang.org/x/sys/cpu"

	"glassjar/core/tags"
)

// Here is the platform of this machine, without any Python being asked: the C library is
// looked at where the system's loader has it. On macOS the system is taken for one that is old
// enough for every file, 11.0; a Python that needs a newer one says so when it is started.
func Here() tags.Platform {
	p := tags.Platform{OS: runtime.GOOS, Arch: map[string]string{"amd64": "x86_64", "386": "i686", "arm64": "aarch64", "arm": "armv7l"}[runtime.GOARCH]}
	if p.Arch == "" {
		p.Arch = runtime.GOARCH
	}
	switch runtime.GOOS {
	case "windows":
		p.Arch = map[string]string{"386": "win32"}[runtime.GOARCH]
		if p.Arch == "" {
			p.Arch = runtime.GOARCH
		}
	case "darwin":
		p.OS, p.Major = "macos", 11
		if runtime.GOARCH == "arm64" {
			p.Arch = "arm64"
		}
	case "linux":
		p.Libc, p.Major, p.Minor = libcIn("/")
	}
	return p
}

// libcIn is the C library of a system below a root, with its version.
func libcIn(root string) (name string, major, minor int) {
	for _, pattern := range []string{"lib64/libc.so.6", "lib/*-linux-gnu*/libc.so.6", "lib/libc.so.6", "usr/lib64/libc.so.6", "usr/lib/libc.so.6"} {
		found, _ := filepath.Glob(filepath.Join(root, pattern)) // the patterns are valid
		for _, file := range found {
			if minor := newest(file); minor > 0 {
				return "glibc", 2, minor
			}
		}
	}
	if found, _ := filepath.Glob(filepath.Join(root, "lib/ld-musl-*.so.1")); len(found) > 0 {
		if major, minor, ok := muslVersion(found[0]); ok {
			return "musl", major, minor
		}
		return "musl", 1, 1
	}
	return "", 0, 0
}

// newest is the N of the newest version GLIBC_2.N that a C library defines, if it is one for
// this processor.
func newest(file string) (minor int) {
	f, err := elf.Open(file)
	if err != nil {
		return 0
	}
	defer f.Close()
	machine := map[string]elf.Machine{"amd64": elf.EM_X86_64, "386": elf.EM_386, "arm64": elf.EM_AARCH64, "arm": elf.EM_ARM}[runtime.GOARCH]
	if machine != elf.EM_NONE && f.Machine != machine {
		return 0
	}
	versions, err := f.DynamicVersions()
	if err != nil {
		return 0
	}
	for _, v := range versions {
		n := 0
		if _, err := fmt.Sscanf(v.Name, "GLIBC_2.%d", &n); err == nil {
			minor = max(minor, n)
		}
	}
	return minor
}

// Level is the level of the x86-64 architecture that this processor has, as its psABI lists
// them; 1 for any other.
func Level() int {
	x := cpu.X86
	switch {
	case runtime.GOARCH != "amd64" || !x.HasSSE42 || !x.HasSSSE3 || !x.HasPOPCNT || !x.HasCX16:
		return 1
	case !x.HasAVX2 || !x.HasBMI1 || !x.HasBMI2 || !x.HasFMA:
		return 2
	case !x.HasAVX512F || !x.HasAVX512BW || !x.HasAVX512CD || !x.HasAVX512DQ || !x.HasAVX512VL:
		return 3
	}
	return 4
}
