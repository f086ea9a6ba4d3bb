// Command glassjar makes isolated Python environments, one for each project.
package main

import (
	"os"

	"glassjar/cli"
	_ "glassjar/cmd/glassjar/first" // starts what was started here before
	"glassjar/cmd/glassjar/memory"
	"glassjar/core/source"
)

func main() {
	source.Main()
	memory.CollectSeldom()
	stop := profile()
	code := cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
