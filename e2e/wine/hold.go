//go:build ignore

// Has a file open, so that nobody else may open, replace or remove it, for twelve seconds. For
// story.sh.
package main

import (
	"fmt"
	"os"
	"syscall"
	"time"
)

func main() {
	path, err := syscall.UTF16PtrFromString(os.Args[1])
	if err == nil {
		_, err = syscall.CreateFile(path, syscall.GENERIC_READ, 0, nil, syscall.OPEN_EXISTING, 0, 0)
	}
	fmt.Println("open", err)
	time.Sleep(12 * time.Second)
}
