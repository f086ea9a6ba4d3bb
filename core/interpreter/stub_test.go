package interpreter

import (
	"encoding/binary"
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reparse is what the system gives for a link to a program of the Store.
func reparse(tag uint32, texts ...string) []byte {
	var words []uint16
	for _, text := range texts {
		words = append(append(words, utf16.Encode([]rune(text))...), 0)
	}
	out := binary.LittleEndian.AppendUint32(nil, tag)
	out = binary.LittleEndian.AppendUint16(out, uint16(4+2*len(words)))
	out = append(out, 0, 0, 3, 0, 0, 0)
	for _, w := range words {
		out = binary.LittleEndian.AppendUint16(out, w)
	}
	return out
}

// Programs that only open a window are told from Pythons before they are started.
func TestStandInsAreNotStarted(t *testing.T) {
	const program = `C:\Program Files\WindowsApps\Installer_1\AppInstallerPythonRedirector.exe`
	assert.True(t, opensStore(reparse(appExecLink, "Installer_1", "Installer_1!Redirector", program, "0")))
	assert.False(t, opensStore(reparse(appExecLink, "Python_1", "Python_1!Python", `C:\Program Files\WindowsApps\Python_1\python3.12.exe`, "0")))
	assert.False(t, opensStore(reparse(0xa000000c, program)), "another kind of link")
	assert.False(t, opensStore(nil))

	for _, c := range []struct {
		path            string
		installed, stub bool
	}{{"/usr/bin/python3", false, true}, {"/usr/bin/python3", true, false}, {"/usr/local/bin/python3", false, false}, {"/opt/homebrew/bin/python3", false, false}} {
		assert.Equal(t, c.stub, toolsStub(c.path, func() bool { return c.installed }), c.path)
	}
}

// A Python is for what it was built for, not for the machine that it runs on.
func TestTheBuildsOwnPlatform(t *testing.T) {
	for suffix, want := range map[string]string{".cp312-win_amd64.pyd": "amd64", ".cp312-win32.pyd": "win32", ".cp313t-win_arm64.pyd": "arm64", "": "arm64"} {
		in := Interpreter{Said: Answer{OSName: "nt", Machine: "ARM64", ExtSuffix: suffix, Bits: 64}}
		assert.Equal(t, want, in.Arch(), suffix)
	}
	assert.Equal(t, "cp313t", Interpreter{Said: Answer{OSName: "nt", ExtSuffix: ".cp313t-win_amd64.pyd", Version: "3.13.0"}}.ABI())
}

// A Python that was built for an earlier macOS is told that a later one is 10.16.
func TestTheSystemOfAnOldBuild(t *testing.T) {
	for said, want := range map[string][2]int{"10.16": {11, 0}, "10.15.7": {10, 15}, "14.2.1": {14, 2}} {
		p := Interpreter{Said: Answer{SysPlatform: "darwin", Machine: "x86_64", MacVersion: said}}.Platform()
		assert.Equal(t, want, [2]int{p.Major, p.Minor}, said)
	}
}

// A package manager keeps each release in a folder of its own and links to the newest: a jar
// links to what stays. Python says its prefix by that link, since it was built for it.
func TestLinkTargetStays(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("no symbolic links")
	}
	top, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	release, stays := filepath.Join(top, "releases", "3.12.4"), filepath.Join(top, "python-3.12")
	framework := filepath.Join("Python.framework", "Versions", "3.12")
	program := filepath.Join(release, framework, "bin", "python3.12")
	require.NoError(t, os.MkdirAll(filepath.Dir(program), 0o755))
	require.NoError(t, os.WriteFile(program, nil, 0o755))
	require.NoError(t, os.Symlink(release, stays))
	require.NoError(t, os.MkdirAll(filepath.Join(top, "bin"), 0o755))
	onPath := filepath.Join(top, "bin", "python3.12")
	require.NoError(t, os.Symlink(filepath.Join("..", "releases", "3.12.4", framework, "bin", "python3.12"), onPath))
	want := filepath.Join(stays, framework, "bin", "python3.12")
	for _, said := range []string{onPath, program, want} {
		assert.Equal(t, want, linkTarget(onPath, Answer{Executable: said, Prefix: filepath.Join(stays, framework)}), said)
	}
}
