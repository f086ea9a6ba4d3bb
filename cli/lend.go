package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) lendCommand() *cobra.Command {
	var opt operation.LendOptions
	var list, back bool
	cmd := &cobra.Command{
		Use: "lend NAME [CMD...]", GroupID: "use", Short: "commands of a jar on the shelf, from anywhere",
		Long: `Puts commands of a jar on the shelf into your own folder of commands (the setting
commands), so that they start from anywhere, each in its jar: those of what was
asked for there, or the ones that are named. Nothing else changes.`,
		Example: "  glassjar lend orchard-map --new\n  glassjar lend tools press-schedule\n  glassjar lend --list\n  glassjar lend --back tools",
		Args: func(cmd *cobra.Command, args []string) error {
			if list {
				return atMost(0)(cmd, args)
			}
			return atLeast(1, "the name of a jar on the shelf")(cmd, args)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			for _, other := range []string{"back", "new", "python"} {
				if err := oneOf(cmd, "list", other); err != nil {
					return err
				}
			}
			if err := oneOf(cmd, "back", "new"); err != nil {
				return err
			}
			if err := with(cmd, "python", "new"); err != nil {
				return err
			}
			var l *operation.Lent
			var err error
			switch {
			case list:
				l, err = a.machine.ListLent()
			case back:
				l, err = a.machine.LendBack(cmd.Context(), args[0], args[1:])
			default:
				opt.Name, opt.Commands = args[0], args[1:]
				l, err = a.machine.Lend(cmd.Context(), opt, a.decide(false))
			}
			if err == nil && l.Filled != nil && !l.Filled.Done {
				a.exit = view.ExitNo
			}
			return a.present(l, err, func() { a.screen.Lent(l) })
		},
	}
	cmd.Flags().BoolVar(&list, "list", false, "list what is lent")
	cmd.Flags().BoolVar(&back, "back", false, "take back what is lent of this jar, or these commands of it")
	cmd.Flags().BoolVar(&opt.New, "new", false, "make the jar first, with the package of its name")
	cmd.Flags().StringVar(&opt.Python, "python", "", "with --new, the Python to use")
	a.buildFlag(cmd)
	return cmd
}
