package jar

import (
	"bytes"
	"io"
	"sync"

	"github.com/ulikunitz/xz"
)

// launcherProgram is the program that starts a script's text, or the jar's Python: cmd/launcher for
// this machine. One that is windowed opens no console.
func launcherProgram(windowed bool) ([]byte, error) {
	if windowed {
		return windowedLauncher()
	}
	return consoleLauncher()
}

var (
	consoleLauncher  = sync.OnceValues(func() ([]byte, error) { return unpacked(packedConsole) })
	windowedLauncher = sync.OnceValues(func() ([]byte, error) { return unpacked(packedWindowed) })
)

func unpacked(packed []byte) ([]byte, error) {
	z, err := xz.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(z)
}
