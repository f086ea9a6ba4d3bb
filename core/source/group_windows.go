package source

import (
	"os/exec"
	"strconv"
)

// group has a program and what it started end together.
func group(cmd *exec.Cmd) (done func()) {
	end := func() {
		if cmd.Process != nil {
			_ = exec.Command("taskkill", "/T", "/F", "/PID", strconv.Itoa(cmd.Process.Pid)).Run() // none may be left
		}
	}
	cmd.Cancel = func() error {
		end()
		return nil
	}
	return func() {}
}
