//go:build linux || darwin

// Package first starts a plain "run CMD" that came to the same a moment ago, and gives the answer
// of an install that had nothing to do, before the packages of the program are made ready. Go does
// that in the order of their paths, as soon as what they import is: this one comes right after os,
// since it imports little.
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
	command, run := start.Plain(os.Args[1:])
	if !run && !start.Answerable(os.Args[1:]) {
		return
	}
	dir, err := os.Getwd()
	if err != nil {
		return
	}
	if !run {
		answer(dir, os.Args[1:])
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

// answer says what the same command said a moment ago, if that still holds. What cannot be
// printed the whole program tells.
func answer(dir string, command []string) {
	a, err := start.ReadAnswer(cache(), dir, command)
	if err == nil && a.Stands(os.Environ()) && a.Give() == nil {
		os.Exit(0)
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
