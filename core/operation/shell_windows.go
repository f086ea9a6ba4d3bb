package operation

import (
	"os"
	"slices"
	"strings"
	"unsafe"

	"golang.org/x/sys/windows"
)

// windowsShells are those for which there is a script, by their programs' names.
var windowsShells = []string{"pwsh.exe", "powershell.exe", "cmd.exe", "bash.exe", "nu.exe"}

// parentShell is the shell that this program was started from, however many programs are in
// between; empty for none.
func parentShell() string {
	snapshot, err := windows.CreateToolhelp32Snapshot(windows.TH32CS_SNAPPROCESS, 0)
	if err != nil {
		return ""
	}
	defer func() { _ = windows.CloseHandle(snapshot) }() // it was read only
	parents, names := map[uint32]uint32{}, map[uint32]string{}
	entry := windows.ProcessEntry32{Size: uint32(unsafe.Sizeof(windows.ProcessEntry32{}))}
	for err := windows.Process32First(snapshot, &entry); err == nil; err = windows.Process32Next(snapshot, &entry) {
		parents[entry.ProcessID], names[entry.ProcessID] = entry.ParentProcessID, windows.UTF16ToString(entry.ExeFile[:])
	}
	id := uint32(os.Getpid())
	for range 16 { // numbers are used again, so that there may be circles
		id = parents[id]
		if name := strings.ToLower(names[id]); slices.Contains(windowsShells, name) {
			return programOf(id, name)
		}
	}
	return ""
}

// programOf is the path of a process's program, or its name where that is not told.
func programOf(id uint32, name string) string {
	h, err := windows.OpenProcess(windows.PROCESS_QUERY_LIMITED_INFORMATION, false, id)
	if err != nil {
		return name
	}
	defer func() { _ = windows.CloseHandle(h) }() // it was read only
	buffer := make([]uint16, 32768)
	n := uint32(len(buffer))
	if err := windows.QueryFullProcessImageName(h, 0, &buffer[0], &n); err != nil {
		return name
	}
	return windows.UTF16ToString(buffer[:n])
}
