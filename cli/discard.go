package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
)

func (a *app) discardCommand() *cobra.Command {
	return &cobra.Command{
		Use: "discard JAR...", GroupID: "make", Short: "remove a jar, and only ever a jar",
		Long: `Removes jars, each named by its folder or its name on the shelf. Anything that
is not a jar made by this program is refused, and links are never followed.
A project's spec and record stay.`,
		Example: "  glassjar discard .jar\n  glassjar discard scratch",
		Args:    atLeast(1, "the folder of a jar, mostly .jar, or a name on the shelf"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if a.canAsk() && !a.yes {
				if ok, err := a.ask("discard " + strings.Join(args, ", ") + "?"); err != nil || !ok {
					a.exit = view.ExitNo
					return err
				}
			}
			d, err := a.machine.Discard(args)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(d)
				return nil
			}
			a.screen.Discarded(d)
			return nil
		},
	}
}
