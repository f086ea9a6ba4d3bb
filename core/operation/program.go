package operation

import (
	"os"
	"os/exec"
	"path/filepath"
)

// OwnProgram is the path of the running program. Where the system does not tell, as in a
// folder made a root without /proc, it is what was typed.
func OwnProgram() (string, error) {
	self, err := os.Executable()
	if err == nil {
		return self, nil
	}
	found, err2 := exec.LookPath(os.Args[0])
	if err2 != nil {
		return "", err
	}
	return filepath.Abs(found)
}
