//go:build !windows

package main

import "os"

// Other systems need no launcher: there a script's first lines start its Python.
func main() { os.Exit(103) }
