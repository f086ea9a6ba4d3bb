package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
)

func (a *app) hereCommand() *cobra.Command {
	return &cobra.Command{
		Use: "here", GroupID: "look", Short: "which jar and Python are in effect here, and why",
		Example: "  glassjar here",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := a.machine.Here(cmd.Context(), a.jar)
			return a.present(h, err, func() { a.screen.Here(h) })
		},
	}
}

func (a *app) contentsCommand() *cobra.Command {
	var sizes, tree bool
	var group string
	cmd := &cobra.Command{
		Use: "contents", GroupID: "look", Short: "what is in the jar",
		Example: "  glassjar contents\n  glassjar contents --sizes\n  glassjar contents --tree",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := oneOf(cmd, "tree", "sizes"); err != nil {
				return err
			}
			c, err := a.machine.Contents(cmd.Context(), a.jar, group)
			return a.present(c, err, func() {
				if tree {
					a.screen.ContentsTree(c)
				} else {
					a.screen.Contents(c, sizes)
				}
			})
		},
	}
	cmd.Flags().BoolVar(&tree, "tree", false, "show what needs what")
	cmd.Flags().StringVar(&group, "group", "", "only what this group or extra of the spec brings")
	cmd.Flags().BoolVar(&sizes, "sizes", false, "show how large each package is")
	return cmd
}

func (a *app) whyCommand() *cobra.Command {
	return &cobra.Command{
		Use: "why NAME", GroupID: "look", Short: "what brought a package into the jar",
		Long: `Shows every chain from what was asked for down to a package, the shortest first,
with the versions that each step will do with and those that are here.`,
		Example: "  glassjar why orchard-core",
		Args:    exactly("the name of a package"),
		RunE: func(cmd *cobra.Command, args []string) error {
			w, err := a.machine.Why(cmd.Context(), a.jar, args[0])
			return a.present(w, err, func() { a.screen.Why(w) })
		},
	}
}

func (a *app) labelCommand() *cobra.Command {
	return &cobra.Command{
		Use: "label [WHAT]", GroupID: "look", Short: "the jar's fingerprint: equal for equal contents, anywhere",
		Long: `Prints the label of the jar in effect and that of its record. WHAT is another jar, a
record, a sealed jar, in a registry too, or git:REVISION.`,
		Example: "  glassjar label\n  glassjar label press.zip\n  glassjar label git:main",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				if a.jar != "" {
					return &view.UsageError{Why: "label is of what is named, so --jar has no effect", Try: "glassjar help label"}
				}
				l, err := a.machine.LabelOf(cmd.Context(), args[0])
				return a.present(l, err, func() { a.screen.Label(l) })
			}
			l, err := a.machine.Label(cmd.Context(), a.jar)
			return a.present(l, err, func() { a.screen.Label(l) })
		},
	}
}
