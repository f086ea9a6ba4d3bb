//go:build profile

package program

import (
	"os"
	"runtime/pprof"
)

// profile writes where the time goes into the file that GLASSJAR_PROFILE names;
// docs/performance.md tells how to read it.
func profile() (stop func()) {
	f, err := os.Create(os.Getenv("GLASSJAR_PROFILE"))
	if err != nil || pprof.StartCPUProfile(f) != nil {
		return func() {}
	}
	return pprof.StopCPUProfile
}
