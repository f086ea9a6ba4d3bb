package cli

import (
	"context"
	"os"

	"github.com/spf13/cobra"

	"glassjar/core/operation"
	"glassjar/core/start"
)

// plainRun prepares "run CMD..." without an option, the command line of which
// every millisecond counts, past all that makes commands. Whatever is not so
// plain, and every error, is left to the command itself.
func plainRun(args []string) *operation.Launch {
	command, ok := start.Plain(args)
	if !ok {
		return nil
	}
	dir, err := os.Getwd()
	if err != nil {
		return nil
	}
	m, err := operation.NewMachine(dir)
	if err != nil {
		return nil
	}
	m.NoHints = true // the command itself will tell
	ctx := context.Background()
	l, err := m.Run(ctx, "", command)
	if err != nil || len(m.Notes) > 0 {
		return nil
	}
	m.KeepStart(ctx, l, command)
	return l
}

func (a *app) runCommand() *cobra.Command {
	var sealed bool
	cmd := &cobra.Command{
		Use: "run CMD [ARG...]", GroupID: "use", Short: "run a command inside the jar, without activation",
		Long: `Runs a command as if the jar were active. A file that ends in .py is run by the
jar's Python. The exit code is the command's. A script that says in a block of
comments what it needs is run in a jar of its own, which is made the first time.`,
		Example: "  glassjar run python -c 'import brixmeter'\n  glassjar run press-schedule\n  glassjar run tally.py\n  glassjar run --jar scratch -- python\n  glassjar run --sealed-off press-schedule",
		Args:    atLeast(1, "a command to run"),
		RunE: func(cmd *cobra.Command, args []string) error {
			a.machine.SealedOff = sealed
			l, err := a.machine.Run(cmd.Context(), a.jar, args)
			if err != nil {
				return err
			}
			a.tellNotes()
			return a.launch(l)
		},
	}
	cmd.Flags().BoolVar(&sealed, "sealed-off", false, "shut PYTHONPATH and your own packages out")
	// What follows the command is the command's own.
	cmd.Flags().SetInterspersed(false)
	return cmd
}
