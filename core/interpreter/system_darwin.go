package interpreter

import (
	"context"
	"os"
	"os/exec"
	"strings"
	"time"
)

// registered has none: there is no registry.
func registered() []string { return nil }

// opensWindow reports whether a program only opens the window that installs the developer tools:
// /usr/bin/python3 is one until these are there, and "xcode-select -p" says so without a window.
func opensWindow(path string) bool {
	return toolsStub(path, func() bool {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		out, err := exec.CommandContext(ctx, "/usr/bin/xcode-select", "-p").Output()
		if err != nil {
			return false
		}
		_, err = os.Stat(strings.TrimSpace(string(out)))
		return err == nil
	})
}
