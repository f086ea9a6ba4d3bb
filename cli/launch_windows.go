package cli

import (
	"errors"
	"os"
	"os/exec"
	"os/signal"
	"syscall"

	"glassjar/core/operation"
)

// launch starts the command and waits for it: Windows cannot replace a
// process. Interrupts reach the command by the console, and this program stays until it ends.
func launch(l *operation.Launch) error {
	// To ignore them would have this one ended: they are taken and dropped.
	interrupts := make(chan os.Signal, 1)
	signal.Notify(interrupts, os.Interrupt)
	cmd := exec.Command(l.Path)
	cmd.Args, cmd.Env = l.Args, l.Env
	if l.Line != "" {
		cmd.SysProcAttr = &syscall.SysProcAttr{CmdLine: l.Line}
	}
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	err := cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return exitCode(exit.ExitCode())
	}
	return err
}
