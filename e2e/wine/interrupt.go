//go:build ignore

// Starts a program in this console, interrupts all that runs in it, and tells how the program
// ended; with "kill" it ends the program at once. For story.sh.
package main

import (
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"syscall"
	"time"
)

func main() {
	signal.Notify(make(chan os.Signal, 1), os.Interrupt)
	cmd := exec.Command(os.Args[2], os.Args[3:]...)
	cmd.Stdout, cmd.Stderr = os.Stdout, os.Stderr
	if err := cmd.Start(); err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	time.Sleep(2 * time.Second)
	if os.Args[1] == "kill" {
		_ = cmd.Process.Kill()
	} else {
		_, _, _ = syscall.NewLazyDLL("kernel32.dll").NewProc("GenerateConsoleCtrlEvent").Call(0, 0)
	}
	at := time.Now()
	_ = cmd.Wait()
	fmt.Println("ended with", cmd.ProcessState.ExitCode(), "after more than a second:", time.Since(at) > time.Second)
}
