package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) advisoriesCommand() *cobra.Command {
	var opt operation.SubjectOptions
	cmd := &cobra.Command{
		Use: "advisories", GroupID: "look", Short: "known faults of what is in the jar, and what mends them",
		Long: `Looks for known faults in databases of advisories in the OSV format: folders, zips,
or addresses of zips, set up as an index that holds advisories. With each stands the
nearest version that has none, whether it fits, and what it would move. The exit
code is 1 if there is one that the spec does not accept ([tool.glassjar.advisories]).`,
		Example: "  glassjar advisories\n  glassjar advisories --shelf",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.ofOneOrAll(cmd, opt); err != nil {
				return err
			}
			opt.Jar = a.jar
			x, err := a.machine.Advisories(cmd.Context(), opt)
			if err == nil && x.Open > 0 {
				a.exit = view.ExitNo
			}
			return a.present(x, err, func() { a.screen.Advisories(x) })
		},
	}
	subjectFlags(cmd, &opt)
	return cmd
}
