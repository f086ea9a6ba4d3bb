package interpreter

import "os"

// killed cannot be told here.
func killed(*os.ProcessState) bool { return false }
