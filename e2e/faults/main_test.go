// Package faults tries kills, faults of the disk and power cuts, on the built program.
package faults

import (
	"os"
	"testing"

	"glassjar/e2e/drive"
)

func TestMain(m *testing.M) { os.Exit(drive.Main(m)) }
