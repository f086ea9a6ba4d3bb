// Package building tries what is built from source, on the built program.
package building

import (
	"os"
	"testing"

	"glassjar/e2e/drive"
)

func TestMain(m *testing.M) { os.Exit(drive.Main(m)) }

// TestScripts runs every script of testdata/script as a user would who has just got the program.
func TestScripts(t *testing.T) { drive.World{}.Run(t) }
