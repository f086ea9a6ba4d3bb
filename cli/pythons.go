package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
)

func (a *app) pythonsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "pythons [WISH]", GroupID: "keep", Short: "the Pythons of this machine, and which would be chosen here",
		Long: `Lists the Pythons found on PATH, in the usual places, and in the folders named
by the settings or by GLASSJAR_PYTHONS. Each is asked once what it is; the
answer is kept until its file changes.`,
		Example: "  glassjar pythons\n  glassjar pythons '>=3.9,<3.12'",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			wish := ""
			if len(args) == 1 {
				wish = args[0]
			}
			p, err := a.machine.Pythons(cmd.Context(), wish)
			if err != nil {
				return err
			}
			chosen := false
			for _, f := range p.Found {
				chosen = chosen || f.Chosen
			}
			if !chosen {
				a.exit = view.ExitPython
			}
			if a.json {
				a.screen.Data(p)
				return nil
			}
			a.screen.Pythons(p)
			return nil
		},
	}
}
