package interpreter

import (
	"errors"
	"os"

	"golang.org/x/sys/windows"
)

// killed cannot be told here.
func killed(*os.ProcessState) bool { return false }

// foreign reports whether a program could not be started since it is built for another processor
// or system.
func foreign(err error) bool {
	return errors.Is(err, windows.ERROR_BAD_EXE_FORMAT) || errors.Is(err, windows.ERROR_EXE_MACHINE_TYPE_MISMATCH)
}
