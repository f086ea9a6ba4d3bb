package cli

import (
	"github.com/spf13/cobra"
)

func (a *app) runCommand() *cobra.Command {
	var sealed bool
	cmd := &cobra.Command{
		Use: "run CMD [ARG...]", GroupID: "use", Short: "run a command inside the jar, without activation",
		Long: `Runs a command as if the jar were active. A file that ends in .py is run by the
jar's Python. The exit code is the command's.`,
		Example: "  glassjar run python -c 'import brixmeter'\n  glassjar run press-schedule\n  glassjar run --jar scratch -- python\n  glassjar run --sealed-off press-schedule",
		Args:    atLeast(1, "a command to run"),
		RunE: func(cmd *cobra.Command, args []string) error {
			a.machine.SealedOff = sealed
			l, err := a.machine.Run(cmd.Context(), a.jar, args)
			if err != nil {
				return err
			}
			return launch(l)
		},
	}
	cmd.Flags().BoolVar(&sealed, "sealed-off", false, "shut PYTHONPATH and your own packages out")
	// What follows the command is the command's own.
	cmd.Flags().SetInterspersed(false)
	return cmd
}
