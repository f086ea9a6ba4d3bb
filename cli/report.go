package cli

import (
	"bytes"
	"io"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/cli/view/page"
	"glassjar/core/operation"
)

func (a *app) reportCommand() *cobra.Command {
	var to string
	var shelf bool
	cmd := &cobra.Command{
		Use: "report", GroupID: "look", Short: "one HTML page of the jar: contents, sizes, the map of needs",
		Long: `Writes one HTML page about the jar: its contents, sizes, what needs what, the
record's state and the licences. The page needs nothing else, asks nobody for
anything, and holds no path of this machine. With --shelf it is one page of all jars:
sizes, ages, what they share, and a search across all of them.`,
		Example: "  glassjar report\n  glassjar report --shelf --to shelf.html\n  glassjar report --to jar.html",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			if shelf && a.jar != "" {
				return &view.UsageError{Why: "--shelf and --jar do not go together", Try: "glassjar help report"}
			}
			if shelf {
				r, err := a.machine.SummarizeShelf(cmd.Context())
				if err != nil || a.json {
					return a.present(r, err, nil)
				}
				return a.writePage(to, func(w io.Writer) error { return page.WriteShelf(w, r, view.Bytes) })
			}
			r, err := a.machine.Summarize(cmd.Context(), a.jar)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(r)
				return nil
			}
			return a.writePage(to, func(w io.Writer) error { return page.Write(w, r, a.screen.Step(r.Step), view.Bytes) })
		},
	}
	cmd.Flags().BoolVar(&shelf, "shelf", false, "one page of all jars known here")
	cmd.Flags().StringVar(&to, "to", "glassjar-report.html", "the file to write; - prints the page")
	return cmd
}

// pages are told from other files by what stands in each.
var pages = operation.Output{Name: "a report", Is: func(have []byte) bool { return bytes.Contains(have, []byte(page.Mark)) }}

// writePage writes a page into a file, but not over one that is none.
func (a *app) writePage(to string, draw func(io.Writer) error) error {
	var b bytes.Buffer
	if err := draw(&b); err != nil {
		return err
	}
	if to == "-" {
		_, err := a.out.Write(b.Bytes())
		return err
	}
	if err := a.machine.WriteOutput(to, pages, b.Bytes()); err != nil {
		return err
	}
	a.screen.Wrote(to)
	return nil
}
