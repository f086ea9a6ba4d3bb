package cli

import (
	"os/exec"
	"syscall"

	"glassjar/core/operation"
)

// launch starts the command and waits for it: Windows cannot replace a
// process. Interrupts reach the command by the console, and this program stays until it ends.
func launch(l *operation.Launch) error {
	code, err := await(l)
	if err == nil && code != 0 {
		err = exitCode(code)
	}
	return err
}

// typedLine gives a command its whole line, where it has one.
func typedLine(cmd *exec.Cmd, l *operation.Launch) {
	if l.Line != "" {
		cmd.SysProcAttr = &syscall.SysProcAttr{CmdLine: l.Line}
	}
}
