// Command glassjar makes isolated Python environments, one for each project.
package main

import (
	"os"

	"glassjar/cli"
)

func main() {
	stop := profile()
	code := cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
