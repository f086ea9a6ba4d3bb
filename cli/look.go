package cli

import "github.com/spf13/cobra"

func (a *app) hereCommand() *cobra.Command {
	return &cobra.Command{
		Use: "here", GroupID: "look", Short: "which jar and Python are in effect here, and why",
		Example: "  glassjar here",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := a.machine.Here(cmd.Context(), a.jar)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(h)
				return nil
			}
			a.screen.Here(h)
			return nil
		},
	}
}

func (a *app) contentsCommand() *cobra.Command {
	var sizes bool
	cmd := &cobra.Command{
		Use: "contents", GroupID: "look", Short: "what is in the jar",
		Example: "  glassjar contents\n  glassjar contents --sizes",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.machine.Contents(cmd.Context(), a.jar)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(c)
				return nil
			}
			a.screen.Contents(c, sizes)
			return nil
		},
	}
	cmd.Flags().BoolVar(&sizes, "sizes", false, "show how large each package is")
	return cmd
}

func (a *app) labelCommand() *cobra.Command {
	return &cobra.Command{
		Use: "label", GroupID: "look", Short: "the jar's fingerprint: equal for equal contents, anywhere",
		Example: "  glassjar label",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			l, err := a.machine.Label(a.jar)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(l)
				return nil
			}
			a.screen.Label(l)
			return nil
		},
	}
}
