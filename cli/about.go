package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) aboutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "about NAME", GroupID: "look", Short: "what is known of a package, here and in the index",
		Long: `Shows what a package is, whether it is in the jar and what needs it there, what
one imports, what it needs, and the versions that the index has.`,
		Example: "  glassjar about press-schedule",
		Args:    exactly("the name of a package"),
		RunE: func(cmd *cobra.Command, args []string) error {
			about, err := a.machine.About(cmd.Context(), a.jar, args[0])
			return a.present(about, err, func() { a.screen.About(about) })
		},
	}
}

func (a *app) searchCommand() *cobra.Command {
	var opt operation.SearchOptions
	cmd := &cobra.Command{
		Use: "search WORD", GroupID: "look", Short: "names in the index that match a word or come near it",
		Long: `Looks through the names that the indexes have. The exit code is 1 if there is
nothing. A filter asks the index about each name and takes longer.`,
		Example: "  glassjar search press\n  glassjar search orchard --maturity stable --for-python 3.12",
		Args:    exactly("a word to look for"),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.Word = args[0]
			f, err := a.machine.Search(cmd.Context(), opt)
			if err == nil && len(f.Hits) == 0 {
				a.exit = view.ExitNo
			}
			return a.present(f, err, func() { a.screen.Found(f) })
		},
	}
	cmd.Flags().StringVar(&opt.Maturity, "maturity", "", "only what is stated to be planning, pre-alpha, alpha, beta, stable, mature or inactive")
	cmd.Flags().StringVar(&opt.Python, "for-python", "", "only what has a file for this Python, such as 3.12")
	cmd.Flags().IntVar(&opt.Limit, "limit", 20, "how many to list")
	return cmd
}

func (a *app) diagnoseCommand() *cobra.Command {
	return &cobra.Command{
		Use: "diagnose MODULE", GroupID: "look", Short: "why an import works or fails, and what mends it",
		Long: `Runs the import with the jar's Python, where you stand, and explains what comes of
it: the code of the module is run. In a jar that was not made here for you, or a folder
of another user's, nothing is run, and it only says where the module would come from.
The exit code is 1 if it fails.`,
		Example: "  glassjar diagnose brixmeter",
		Args:    exactly("the name of a module"),
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := a.machine.Diagnose(cmd.Context(), a.jar, args[0])
			if err == nil && !d.Works {
				a.exit = view.ExitNo
			}
			return a.present(a.screen.Diagnosed(d), err, func() { a.screen.Diagnosis(d) })
		},
	}
}
