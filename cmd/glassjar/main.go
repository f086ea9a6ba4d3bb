// Command glassjar makes isolated Python environments, one for each project.
package main

import (
	"os"
	"runtime/debug"

	"glassjar/cli"
	_ "glassjar/cmd/glassjar/first" // starts what was started here before
	"glassjar/core/source"
)

func main() {
	source.Main()
	// Commands are short and what they hold is small: collecting less often saves a
	// tenth of the time.
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(96 << 20)
	stop := profile()
	code := cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
