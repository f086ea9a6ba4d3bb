//go:build unix

package source

import (
	"os/exec"
	"syscall"
)

// group makes a program the head of a group that ends with it.
func group(cmd *exec.Cmd) (done func()) {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	cmd.SysProcAttr.Setpgid = true
	end := func() {
		if cmd.Process != nil {
			_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) // none may be left
		}
	}
	cmd.Cancel = func() error {
		end()
		return nil
	}
	return end
}
