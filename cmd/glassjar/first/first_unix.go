//go:build linux || darwin

// Package first starts a plain "run CMD" that came to the same a moment ago, before the
// packages of the program are made ready. Go does that in the order of their paths, as
// soon as what they import is: this one comes right after os, since it imports little.
package first

import (
	"os"
	"runtime"
	"syscall"

	"glassjar/core/start"
)

func init() {
	if len(os.Args) == 0 {
		return
	}
	command, ok := start.Plain(os.Args[1:])
	if !ok {
		return
	}
	dir, err := os.Getwd()
	if err != nil {
		return
	}
	if start.MayHaveBlock(command[0]) {
		launch(start.ScriptPath(dir, command[0]), command)
	}
	launch(dir, command)
}

// launch starts what was kept for a folder or a script, if it still holds.
func launch(of string, command []string) {
	s, err := start.Read(cache(), of)
	if err != nil {
		return
	}
	if program, args, env := s.Launch(command, os.Environ()); program != "" {
		s.NoteUse()
		_ = syscall.Exec(program, args, env) // where it fails, the whole program says why
	}
}

// cache is the program's folder for what can be made anew. Where it is another, nothing
// is found there and the whole program does the work.
func cache() string {
	if dir := os.Getenv("GLASSJAR_HOME"); dir != "" {
		return dir + "/cache"
	}
	if dir := os.Getenv("XDG_CACHE_HOME"); dir != "" {
		return dir + "/glassjar"
	}
	if runtime.GOOS == "darwin" {
		return os.Getenv("HOME") + "/Library/Caches/glassjar"
	}
	return os.Getenv("HOME") + "/.cache/glassjar"
}
