package cli

import (
	"github.com/spf13/cobra"

	"glassjar/core/operation"
)

func (a *app) discardCommand() *cobra.Command {
	var undo bool
	cmd := &cobra.Command{
		Use: "discard JAR...", GroupID: "make", Short: "remove jars, and only ever jars",
		Long: `Removes jars by their paths or their names on the shelf. Nothing but a jar is ever
removed; the project's spec and record stay. Until the store is tidied, --undo
brings a jar back.`,
		Example: "  glassjar discard .jar\n  glassjar discard scratch\n  glassjar discard --undo",
		RunE: func(cmd *cobra.Command, args []string) error {
			if undo {
				d, err := a.machine.BringBack(cmd.Context(), args)
				return a.present(d, err, func() { a.screen.Discarded(d) })
			}
			if err := atLeast(1, "the path or the name of a jar")(cmd, args); err != nil {
				return err
			}
			d, err := a.machine.Discard(cmd.Context(), args, a.decideDiscard)
			return a.present(d, err, func() { a.screen.Discarded(d) })
		},
	}
	cmd.Flags().BoolVar(&undo, "undo", false, "bring back what was discarded last, or the named jars")
	return cmd
}

// decideDiscard shows what goes and asks, where there is a person.
func (a *app) decideDiscard(d *operation.Discarded) (bool, error) {
	if a.yes || !a.canAsk() {
		return true, nil
	}
	a.screen.Discarding(d)
	return a.ask("discard this?")
}
