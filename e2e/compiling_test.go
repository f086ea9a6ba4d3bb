package e2e

import (
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/assert"
)

// waitForCompiling ends when no process of this home compiles any more. The
// compiler is the program itself, so its own arguments tell it.
const waitForCompiling = `( exec 2>/dev/null; n=0
while [ $n -lt 600 ] && for p in /proc/[0-9]*; do
	tr '\0' ' ' <$p/cmdline | grep -q "^[^ ]*glassjar --jar .* store compile --behind" && tr '\0' '\n' <$p/environ | grep -qxF "HOME=$HOME" && break
done; do n=$((n+1)); sleep 0.05; done )
`

// settleCompilers waits until no background compiler of a home is left: one goes on
// after the command that began it, in a folder that may be about to be removed. It
// reports false where there still is one after a minute.
func settleCompilers(home string) bool {
	if runtime.GOOS != "linux" {
		time.Sleep(4 * time.Second)
		return true
	}
	for until := time.Now().Add(time.Minute); time.Now().Before(until); time.Sleep(5 * time.Millisecond) {
		if !compiling(home) {
			return true
		}
	}
	return false
}

func compiling(home string) bool {
	lines, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, line := range lines {
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
	if !settleCompilers(ts.Getenv("HOME")) {
		ts.Fatalf("something compiles for longer than a minute")
	}
}

// removes takes files and folders away, in which nobody writes any more.
func (s *terminal) removes(paths ...string) {
	s.t.Helper()
	assert.True(s.t, settleCompilers(s.home()), "something compiles for longer than a minute")
	for _, path := range paths {
		assert.NoError(s.t, os.RemoveAll(path))
	}
}

// removeScript removes files and folders, in which nobody writes any more: remove PATH...
func removeScript(ts *testscript.TestScript, neg bool, args []string) {
	settleScript(ts, neg, nil)
	for _, arg := range args {
		ts.Check(os.RemoveAll(ts.MkAbs(arg)))
	}
}
