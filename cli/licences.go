package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) licencesCommand() *cobra.Command {
	var opt operation.SubjectOptions
	cmd := &cobra.Command{
		Use: "licences", GroupID: "look", Short: "under which terms what is in the jar may be used",
		Long: `Tells the licence of each package, as identifiers of SPDX: what its description
states, or else what its words and classifiers mean, as far as they mean one. Where
the spec allows some ([tool.glassjar.licences] allow), what is not among them is
named, and the exit code is 1.`,
		Example: "  glassjar licences\n  glassjar licences --of-record --verbose\n  glassjar licences --shelf",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.ofOneOrAll(cmd, opt); err != nil {
				return err
			}
			opt.Jar = a.jar
			l, err := a.machine.Licences(cmd.Context(), opt)
			if err == nil && l.Refused > 0 {
				a.exit = view.ExitNo
			}
			return a.present(l, err, func() { a.screen.Licences(l) })
		},
	}
	subjectFlags(cmd, &opt)
	return cmd
}

// subjectFlags choose what is looked at.
func subjectFlags(cmd *cobra.Command, opt *operation.SubjectOptions) {
	cmd.Flags().BoolVar(&opt.Record, "of-record", false, "of all that the record has, for every system")
	cmd.Flags().BoolVar(&opt.Shelf, "shelf", false, "of all jars and records known here")
}

// ofOneOrAll refuses what does not go together with --shelf.
func (a *app) ofOneOrAll(cmd *cobra.Command, opt operation.SubjectOptions) error {
	if opt.Shelf && a.jar != "" {
		return &view.UsageError{Why: "--shelf and --jar do not go together", Try: "glassjar help " + cmd.Name()}
	}
	return oneOf(cmd, "shelf", "of-record")
}
