package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) recordCommand() *cobra.Command {
	var opt operation.RecordOptions
	cmd := &cobra.Command{
		Use: "record", GroupID: "record", Short: "write or refresh the record from the spec",
		Long: `Finds versions for what the spec asks for, and writes them with the hashes of
their files into pylock.toml. Versions that the record has stay where they fit.`,
		Example: "  glassjar record\n  glassjar record --check",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.Jar = a.jar
			r, err := a.machine.Record(cmd.Context(), opt)
			if err != nil {
				return err
			}
			if opt.Check && r.Changed {
				a.exit = view.ExitNo
			}
			if a.json {
				a.screen.Data(r)
				return nil
			}
			a.screen.Recorded(r, opt.Check)
			return nil
		},
	}
	cmd.Flags().BoolVar(&opt.Check, "check", false, "change nothing; exit with 1 if the record is not in step")
	return cmd
}

func (a *app) recreateCommand() *cobra.Command {
	var opt operation.RecreateOptions
	var planOnly bool
	cmd := &cobra.Command{
		Use: "recreate", GroupID: "record", Short: "make the jar be exactly what its record says",
		Long: `Makes a missing jar, and brings an existing one, whatever was done to it, to
exactly what the record says. If it already is so, nothing is done.`,
		Example: "  glassjar recreate\n  glassjar recreate --plan",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.Jar = a.jar
			o, err := a.machine.Recreate(cmd.Context(), opt, a.decide(planOnly))
			if err != nil {
				return err
			}
			a.show(o, planOnly)
			return nil
		},
	}
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be done, and stop")
	cmd.Flags().BoolVar(&opt.AsRecorded, "as-recorded", false, "follow the record though the spec has changed since")
	cmd.Flags().StringVar(&opt.Python, "python", "", "the Python to use, for a jar that has to be made")
	return cmd
}
