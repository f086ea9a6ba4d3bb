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
	data, err := consoleLauncher()
	if err == nil && windowed {
		data = withoutConsole(data)
	}
	return data, err
}

// Launcher is the program that starts what the text beside it names (cmd/launcher).
func Launcher(windowed bool) ([]byte, error) { return launcherProgram(windowed) }

var consoleLauncher = sync.OnceValues(func() ([]byte, error) {
	z, err := xz.NewReader(bytes.NewReader(packedLauncher))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(z)
})
