package cli

import (
	"bytes"
	"os"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/cli/view/page"
	"glassjar/core/operation"
)

func (a *app) reportCommand() *cobra.Command {
	var to string
	cmd := &cobra.Command{
		Use: "report", GroupID: "look", Short: "one HTML page of the jar: contents, sizes, the map of needs",
		Long: `Writes one HTML page about the jar: its contents, sizes, what needs what, the
record's state and the licences. The page needs nothing else, asks nobody for
anything, and holds no path of this machine.`,
		Example: "  glassjar report\n  glassjar report --to jar.html",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := a.machine.Summarize(cmd.Context(), a.jar)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(r)
				return nil
			}
			return a.writeReport(r, to)
		},
	}
	cmd.Flags().StringVar(&to, "to", "glassjar-report.html", "the file to write; - prints the page")
	return cmd
}

func (a *app) writeReport(r *operation.Report, to string) error {
	var b bytes.Buffer
	if err := page.Write(&b, r, a.screen.Step(r.Step), view.Bytes); err != nil {
		return err
	}
	if to == "-" {
		_, err := a.out.Write(b.Bytes())
		return err
	}
	// A file of the user's under that name is not lost.
	if have, err := os.ReadFile(to); err == nil && !bytes.Contains(have, []byte(page.Mark)) {
		return &view.UsageError{Why: to + " is there, and is not a report", Try: "write another file: glassjar report --to FILE"}
	}
	if err := a.machine.WriteOutput(to, b.Bytes()); err != nil {
		return err
	}
	a.screen.Wrote(to)
	return nil
}
