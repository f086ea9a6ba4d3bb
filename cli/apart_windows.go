package cli

import (
	"os/exec"
	"syscall"

	"golang.org/x/sys/windows"
)

// apart has a process live on without this one and its window.
func apart(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{CreationFlags: windows.DETACHED_PROCESS | windows.CREATE_NEW_PROCESS_GROUP}
}

// lowest gives this process, and those that it starts, the lowest priority.
func lowest() { _ = windows.SetPriorityClass(windows.CurrentProcess(), windows.IDLE_PRIORITY_CLASS) }
