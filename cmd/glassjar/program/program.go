// Package program is the whole of the command glassjar. The test binaries of e2e are that command
// too, when they are started by its name, so that it is compiled once.
package program

import (
	"os"

	"glassjar/cli"
	_ "glassjar/cmd/glassjar/program/first" // starts what was started here before
	"glassjar/cmd/glassjar/program/memory"
	"glassjar/core/source"
)

// Main does what the arguments of the process say and ends it with the exit code of that.
func Main() {
	source.Main()
	memory.CollectSeldom()
	stop := profile()
	code := cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
