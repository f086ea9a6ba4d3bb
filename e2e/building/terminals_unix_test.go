//go:build unix

package building

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
	"glassjar/internal/wait"
)

// and asked once.
func TestBuildIsAsked(t *testing.T) {
	home, dir := drive.NewHome(t)
	say := func(args ...string) *drive.TTY {
		return drive.OpenTTY(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	spec := func() string {
		text, _ := os.ReadFile(filepath.Join(dir, "pyproject.toml")) // there may be none yet
		return string(text)
	}
	require.Zero(t, say("create").Ends())
	for _, answer := range []struct {
		types string
		code  int
	}{{"n", 7}, {"", 7}, {"y", 0}} {
		x := say("install", "pomace-compost")
		x.Waits("pomace-compost 1.1")
		x.Waits("orchard_mill")
		x.Waits("room")
		x.Waits("build it? [y/N] ")
		x.Types(answer.types)
		assert.Equal(t, answer.code, x.Ends(), x.Text())
		assert.Equal(t, answer.code == 0, strings.Contains(spec(), `build-consent = ["pomace-compost"]`), x.Text())
	}
	require.Zero(t, say("discard", ".jar", "--yes").Ends())
	require.Zero(t, say("store", "tidy").Ends())
	x := say("recreate")
	assert.Zero(t, x.Ends())
	assert.NotContains(t, x.Text(), "build it?")

	// What a stranger's spec consents to is asked about all the same, with a word on that.
	other := filepath.Join(filepath.Dir(dir), "clone")
	require.NoError(t, os.Mkdir(other, 0o755))
	for _, name := range []string{"pyproject.toml", "pylock.toml"} {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(other, name), data, 0o644))
	}
	require.Zero(t, say("discard", ".jar", "--yes").Ends())
	require.Zero(t, say("store", "tidy").Ends())
	x = drive.OpenTTY(t, home, other, nil, "glassjar", "recreate")
	x.Waits("the spec says yes to this")
	x.Waits("build it? [y/N] ")
	x.Types("y")
	assert.Zero(t, x.Ends())
}

// An interrupt ends a build with all that it started, and leaves nothing of it.
func TestInterruptEndsABuild(t *testing.T) {
	home, dir := drive.NewHome(t)
	mark := "left-" + filepath.Base(filepath.Dir(dir)) + "-of-a-build"
	back := "import subprocess, sys, time\ndef build_wheel(out, settings=None, metadata=None):\n    subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(300)', '" + mark + "'])\n    print('the press turns', flush=True)\n    time.sleep(300)\n"
	require.NoError(t, os.Mkdir(filepath.Join(dir, "slow"), 0o755))
	for name, text := range map[string]string{"back.py": back, "pyproject.toml": "[build-system]\nrequires = []\nbuild-backend = 'back'\nbackend-path = ['.']\n[project]\nname = 'slow'\nversion = '1'\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "slow", name), []byte(text), 0o644))
	}
	require.Zero(t, drive.OpenTTY(t, home, dir, nil, "glassjar", "create").Ends())
	x := drive.OpenTTY(t, home, dir, nil, "glassjar", "install", "./slow", "--build", "slow")
	running := func() string {
		out, _ := exec.Command("pgrep", "-f", mark).Output() // it fails where there is none
		return string(out)
	}
	wait.For(t, func() bool { return running() != "" }, "what the build starts")
	_, err := x.Side.Write([]byte{3})
	require.NoError(t, err)
	assert.Equal(t, 130, x.Ends(), x.Text())
	wait.For(t, func() bool { return running() == "" }, "the end of what the build started")
	left, err := filepath.Glob(filepath.Join(home, ".cache", "glassjar", "builds", "*.new-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.NoFileExists(t, filepath.Join(dir, "pylock.toml"))
}
