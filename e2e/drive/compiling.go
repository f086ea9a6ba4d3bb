package drive

import (
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/assert"

	"glassjar/internal/wait"
)

// SettleCompilers waits until no background compiler of a home is left: one goes on
// after the command that began it, in a folder that may be about to be removed. It
// reports whether they ended.
func SettleCompilers(home string) bool {
	if runtime.GOOS != "linux" {
		time.Sleep(4 * time.Second)
		return true
	}
	return wait.Until(func() bool { return !compiling(home) })
}

func compiling(home string) bool {
	processes, _ := os.ReadDir("/proc")
	for _, p := range processes {
		if p.Name()[0] < '0' || p.Name()[0] > '9' {
			continue
		}
		line := filepath.Join("/proc", p.Name(), "cmdline")
		words, _ := os.ReadFile(line) // it may have ended
		if !strings.Contains(string(words), "\x00store\x00compile\x00--behind") {
			continue
		}
		of, _ := os.ReadFile(filepath.Join(filepath.Dir(line), "environ"))
		if slices.Contains(strings.Split(string(of), "\x00"), "HOME="+home) {
			return true
		}
	}
	return false
}

// settleScript waits for the background compiler.
func settleScript(ts *testscript.TestScript, _ bool, _ []string) {
	if !SettleCompilers(ts.Getenv("HOME")) {
		ts.Fatalf("something compiles without end")
	}
}

// Removes takes files and folders away, in which nobody writes any more.
func (s *Terminal) Removes(paths ...string) {
	s.T.Helper()
	assert.True(s.T, SettleCompilers(s.Home()), "something compiles without end")
	for _, path := range paths {
		assert.NoError(s.T, os.RemoveAll(path))
	}
}

// removeScript removes files and folders, in which nobody writes any more: remove PATH...
func removeScript(ts *testscript.TestScript, neg bool, args []string) {
	settleScript(ts, neg, nil)
	for _, arg := range args {
		ts.Check(os.RemoveAll(ts.MkAbs(arg)))
	}
}
