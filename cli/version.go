package cli

import (
	"runtime"

	"glassjar/cli/wire"

	"github.com/spf13/cobra"
)

// Version is the program's version; a release sets it when it is built.
var Version = "0.1.0"

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", GroupID: "more", Short: "the version of this program",
		Example: "  glassjar version",
		Args:    atMost(0),
		RunE:    func(cmd *cobra.Command, args []string) error { return a.showVersion() },
	}
}

func (a *app) showVersion() error {
	if a.json {
		a.screen.Data(wire.VersionResult{Version: Version, Go: runtime.Version(), OS: runtime.GOOS, Arch: runtime.GOARCH})
		return nil
	}
	a.screen.Version(Version, runtime.Version(), runtime.GOOS+"/"+runtime.GOARCH)
	return nil
}
