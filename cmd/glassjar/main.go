// Command glassjar makes isolated Python environments, one for each project.
package main

import "glassjar/cmd/glassjar/program"

func main() { program.Main() }
