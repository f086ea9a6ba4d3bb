package cli

import (
	"runtime"

	"github.com/spf13/cobra"
)

// Version is the program's version; a release sets it when it is built.
var Version = "0.1.0"

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", GroupID: "more", Short: "the version of this program",
		Example: "  glassjar version",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			if a.json {
				a.screen.Data(map[string]string{"version": Version, "go": runtime.Version(), "os": runtime.GOOS, "arch": runtime.GOARCH})
				return nil
			}
			a.screen.Version(Version, runtime.Version(), runtime.GOOS+"/"+runtime.GOARCH)
			return nil
		},
	}
}
