//go:build ignore

// A Python that cleans up when it is interrupted, for story.sh.
package main

import (
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"time"
)

func main() {
	if len(os.Args) > 2 && os.Args[1] == "serve" { // what it starts goes on without it
		cmd := exec.Command(os.Args[0], "linger", os.Args[2])
		if err := cmd.Start(); err != nil {
			os.Exit(1)
		}
		time.Sleep(time.Minute)
	}
	if len(os.Args) > 2 && os.Args[1] == "linger" {
		time.Sleep(4 * time.Second)
		_ = os.WriteFile(os.Args[2], []byte("served"), 0o644)
		return
	}
	c := make(chan os.Signal, 1)
	signal.Notify(c, os.Interrupt)
	fmt.Println("started")
	select {
	case <-c:
		time.Sleep(2 * time.Second)
		fmt.Println("cleaned up")
		os.Exit(7)
	case <-time.After(20 * time.Second):
	}
}
