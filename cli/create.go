package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) createCommand() *cobra.Command {
	var opt operation.CreateOptions
	cmd := &cobra.Command{
		Use: "create [NAME]", GroupID: "make", Short: "make a new jar: the project's, or NAME on the shelf",
		Long: `Makes an empty jar: the project's in .jar, or with NAME one on your shelf that
belongs to no project. Nothing is installed in it and nothing outside changes.`,
		Example: "  glassjar create\n  glassjar create --python 3.12\n  glassjar create scratch --put brixmeter",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				opt.Name = args[0]
			}
			if err := oneOf(cmd, "at", "here"); err != nil {
				return err
			}
			if len(args) == 1 && (opt.At != "" || opt.Here) {
				return &view.UsageError{Why: "a name puts the jar on the shelf, and --at or --here elsewhere", Try: "leave out one of them"}
			}
			a.machine.Early = a.goesOn(false)
			created, err := a.machine.Create(cmd.Context(), opt, a.decide(false))
			if err != nil {
				return err
			}
			if created.Filled != nil {
				a.show(created.Filled, false)
			} else {
				a.showCreated(created)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&opt.Python, "python", "", "the Python to use: 3.12, \">=3.9,<3.12\", pypy, or a path")
	cmd.Flags().StringVar(&opt.At, "at", "", "make it in this folder")
	cmd.Flags().BoolVar(&opt.Here, "here", false, "make it in this folder, though it lies in a project")
	a.buildFlag(cmd)
	cmd.Flags().StringArrayVar(&opt.Put, "put", nil, "install this into it as well; may be repeated")
	cmd.Flags().BoolVar(&opt.SeeSystem, "see-system", false, "let it see the packages of the Python it is made from")
	return cmd
}

func (a *app) showCreated(c *operation.Created) {
	if a.json {
		a.screen.Data(c)
		return
	}
	a.screen.Created(c)
}
