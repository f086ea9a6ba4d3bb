package cli

import (
	"os/exec"

	"glassjar/core/operation"
)

// compileLater has another process compile a jar's modules, at the lowest priority.
// Where none can be started, the interpreter compiles them when they are imported.
func compileLater(jar string) {
	self, err := operation.OwnProgram()
	if err != nil {
		return
	}
	cmd := exec.Command(self, "--jar", jar, "--quiet", "store", "compile", "--behind")
	cmd.Dir = jar
	apart(cmd)
	if cmd.Start() == nil {
		_ = cmd.Process.Release() // nobody waits for it
	}
}
