// Package pages tries the pages of the documentation, on the built program.
package pages

import (
	"os"
	"testing"

	"glassjar/e2e/drive"
)

func TestMain(m *testing.M) { os.Exit(drive.Main(m)) }
