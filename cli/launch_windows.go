package cli

import (
	"errors"
	"os"
	"os/exec"
	"os/signal"

	"glassjar/core/operation"
)

// launch starts the command and waits for it: Windows cannot replace a
// process. Interrupts reach the command by the console.
func launch(l *operation.Launch) error {
	signal.Ignore(os.Interrupt)
	cmd := exec.Command(l.Path)
	cmd.Args, cmd.Env = l.Args, l.Env
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	err := cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return exitCode(exit.ExitCode())
	}
	return err
}
