// Command glassjar makes isolated Python environments, one for each project.
package main

import (
	"os"

	"glassjar/cli"
	_ "glassjar/cmd/glassjar/first" // starts what was started here before
	"glassjar/core/source"
)

func main() {
	source.Main()
	collectSeldom()
	stop := profile()
	code := cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
