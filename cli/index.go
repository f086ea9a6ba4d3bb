package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) indexCommand() *cobra.Command {
	var forProject bool
	var holds string
	cmd := &cobra.Command{
		Use: "index", GroupID: "keep", Short: "where packages come from",
		Long: `Shows and changes the indexes: where packages come from, in the order in which
they are asked. The first that knows a name is the only one asked for it.`,
		Example: "  glassjar index list\n  glassjar index add wheels ./wheels --project\n  glassjar index drop wheels",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand("index "+args[0], []string{"index list", "index add", "index drop", "index order"})
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error { return a.listIndexes() },
	}
	cmd.PersistentFlags().BoolVar(&forProject, "project", false, "change the project's indexes, not your own")
	change := func(use, short, example string, args cobra.PositionalArgs, edit func(args []string) operation.IndexEdit) *cobra.Command {
		return &cobra.Command{Use: use, Short: short, Example: example, Args: args, RunE: func(cmd *cobra.Command, args []string) error {
			e := edit(args)
			e.Project = forProject
			file, err := a.machine.EditIndexes(cmd.Context(), e)
			if err != nil {
				return err
			}
			if !a.json {
				a.screen.Wrote(file)
			}
			return a.listIndexes()
		}}
	}
	add := change("add NAME AT", "set up an index: an address, or a folder of package files", "  glassjar index add wheels ./wheels --project\n  glassjar index add pythons ./pythons --holds pythons\n  glassjar index add faults ./faults.zip --holds advisories",
		atLeast(2, "a name, and an address or a folder"), func(args []string) operation.IndexEdit {
			return operation.IndexEdit{Add: args[0], At: args[1], Holds: holds}
		})
	add.Flags().StringVar(&holds, "holds", "", "`WHAT` it has, if no packages: pythons or advisories")
	cmd.AddCommand(
		a.indexListCommand(),
		add,
		change("drop NAME", "forget an index", "  glassjar index drop wheels",
			atLeast(1, "the name of an index"), func(args []string) operation.IndexEdit { return operation.IndexEdit{Drop: args[0]} }),
		change("order NAME...", "say which are asked first", "  glassjar index order wheels public",
			atLeast(1, "the names of indexes"), func(args []string) operation.IndexEdit { return operation.IndexEdit{Order: args} }),
	)
	return cmd
}

func (a *app) indexListCommand() *cobra.Command {
	var probe bool
	cmd := &cobra.Command{
		Use: "list", Short: "show the indexes in the order in which they are asked", Args: atMost(0),
		Long: `Shows the indexes in the order in which they are asked. With --probe each is asked
about a name: does it answer, how fast, does it speak JSON, and does it give
metadata apart from the files. The exit code is 1 if one does not answer.`,
		Example: "  glassjar index list\n  glassjar index list --probe",
		RunE: func(cmd *cobra.Command, args []string) error {
			if cmd.Flags().Changed("project") {
				return &view.UsageError{Why: "index list shows the project's indexes and your own, so --project has no effect", Try: "glassjar help index list"}
			}
			if !probe {
				return a.listIndexes()
			}
			list, err := a.machine.ProbeIndexes(cmd.Context())
			for _, i := range list {
				if !i.Probe.Answers {
					a.exit = view.ExitNo
				}
			}
			return a.present(list, err, func() { a.screen.Indexes(list) })
		},
	}
	cmd.Flags().BoolVar(&probe, "probe", false, "ask each whether it answers, and what it speaks")
	return cmd
}

func (a *app) listIndexes() error {
	list, err := a.machine.Indexes()
	if err != nil {
		return err
	}
	if a.json {
		a.screen.Data(list)
		return nil
	}
	a.screen.Indexes(list)
	return nil
}
