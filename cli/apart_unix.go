//go:build unix

package cli

import (
	"os/exec"
	"syscall"
)

// apart has a process live on without this one and its terminal.
func apart(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true} }

// lowest gives all threads of this process, and what they start, the lowest
// priority.
func lowest() { _ = syscall.Setpriority(syscall.PRIO_PGRP, 0, 19) } // it is only kinder
