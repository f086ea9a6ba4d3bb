//go:build unix

package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tty is a shell or a program in a terminal of its own.
type tty struct {
	t    *testing.T
	pty  *os.File
	cmd  *exec.Cmd
	mu   sync.Mutex
	said bytes.Buffer
	read int // what was waited for before
	// drained is closed when nothing more comes.
	drained chan struct{}
}

// open starts a program in a terminal of 100 columns, with an environment made from
// nothing.
func openTerminal(t *testing.T, home, dir string, env []string, argv ...string) *tty {
	if argv[0] == "glassjar" {
		argv[0] = filepath.Join(built, argv[0])
	}
	cmd := exec.Command(argv[0], argv[1:]...)
	cmd.Dir = dir
	cmd.Env = append([]string{"HOME=" + home, "PATH=" + built + ":/usr/bin:/bin", "TERM=dumb"}, env...)
	side, err := pty.StartWithSize(cmd, &pty.Winsize{Rows: 40, Cols: 100})
	require.NoError(t, err)
	x := &tty{t: t, pty: side, cmd: cmd, drained: make(chan struct{})}
	go func() {
		defer close(x.drained)
		data := make([]byte, 4096)
		for {
			n, err := side.Read(data)
			x.mu.Lock()
			x.said.Write(data[:n])
			x.mu.Unlock()
			if err != nil {
				return
			}
		}
	}()
	t.Cleanup(func() { _ = cmd.Process.Kill(); side.Close() })
	return x
}

func (x *tty) text() string {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.said.String()
}

// waits until the terminal shows a text that it did not show before.
func (x *tty) waits(for_ string) {
	x.t.Helper()
	for range 1000 {
		if text := x.text(); strings.Contains(text[x.read:], for_) {
			x.read += strings.Index(text[x.read:], for_) + len(for_)
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	x.t.Fatalf("%q did not come:\n%s", for_, x.text())
}

func (x *tty) types(line string) {
	_, err := x.pty.WriteString(line + "\n")
	require.NoError(x.t, err)
}

func (x *tty) ends() int {
	err := x.cmd.Wait()
	select {
	case <-x.drained: // all that it said is read
	case <-time.After(10 * time.Second): // somebody else has the terminal still
	}
	if err != nil {
		return x.cmd.ProcessState.ExitCode()
	}
	return 0
}

// "go on?" stands between a plan and what is done, and no is no.
func TestGoOn(t *testing.T) {
	home, dir := newHome(t)
	say := func(args ...string) *tty {
		return openTerminal(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	require.Zero(t, say("create").ends())
	require.Zero(t, say("install", "press-schedule").ends())
	for _, answer := range []struct {
		types string
		code  int
	}{{"n", 1}, {"", 1}, {"what?", 1}, {"yes", 0}} {
		x := say("install", "brixmeter<2")
		x.waits("change  brixmeter")
		x.waits("go on? [y/N] ")
		x.types(answer.types)
		assert.Equal(t, answer.code, x.ends(), answer.types)
		if answer.code == 1 {
			x.waits("nothing was changed")
		}
		spec, err := os.ReadFile(filepath.Join(dir, "pyproject.toml"))
		require.NoError(t, err)
		assert.Equal(t, answer.code == 0, strings.Contains(string(spec), "brixmeter<2"), answer.types)
	}
	x := say("discard", ".jar")
	x.waits("discard this? [y/N] ")
	x.types("y")
	assert.Zero(t, x.ends())
	assert.NoDirExists(t, filepath.Join(dir, ".jar"))
}

// What is built from source is asked about, with what will run; yes is written into the spec,
// and asked once.
func TestBuildIsAsked(t *testing.T) {
	home, dir := newHome(t)
	say := func(args ...string) *tty {
		return openTerminal(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	spec := func() string {
		text, _ := os.ReadFile(filepath.Join(dir, "pyproject.toml")) // there may be none yet
		return string(text)
	}
	require.Zero(t, say("create").ends())
	for _, answer := range []struct {
		types string
		code  int
	}{{"n", 7}, {"", 7}, {"y", 0}} {
		x := say("install", "pomace-compost")
		x.waits("pomace-compost 1.1")
		x.waits("orchard_mill")
		x.waits("room")
		x.waits("build it? [y/N] ")
		x.types(answer.types)
		assert.Equal(t, answer.code, x.ends(), x.text())
		assert.Equal(t, answer.code == 0, strings.Contains(spec(), `build-consent = ["pomace-compost"]`), x.text())
	}
	require.Zero(t, say("discard", ".jar", "--yes").ends())
	require.Zero(t, say("store", "tidy").ends())
	x := say("recreate")
	assert.Zero(t, x.ends())
	assert.NotContains(t, x.text(), "build it?")

	// What a stranger's spec consents to is asked about all the same, with a word on that.
	other := filepath.Join(filepath.Dir(dir), "clone")
	require.NoError(t, os.Mkdir(other, 0o755))
	for _, name := range []string{"pyproject.toml", "pylock.toml"} {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(other, name), data, 0o644))
	}
	require.Zero(t, say("discard", ".jar", "--yes").ends())
	require.Zero(t, say("store", "tidy").ends())
	x = openTerminal(t, home, other, nil, "glassjar", "recreate")
	x.waits("the spec says yes to this")
	x.waits("build it? [y/N] ")
	x.types("y")
	assert.Zero(t, x.ends())
}

// An interrupt ends a build with all that it started, and leaves nothing of it.
func TestInterruptEndsABuild(t *testing.T) {
	home, dir := newHome(t)
	mark := "left-" + filepath.Base(filepath.Dir(dir)) + "-of-a-build"
	back := "import subprocess, sys, time\ndef build_wheel(out, settings=None, metadata=None):\n    subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(300)', '" + mark + "'])\n    print('the press turns', flush=True)\n    time.sleep(300)\n"
	require.NoError(t, os.Mkdir(filepath.Join(dir, "slow"), 0o755))
	for name, text := range map[string]string{"back.py": back, "pyproject.toml": "[build-system]\nrequires = []\nbuild-backend = 'back'\nbackend-path = ['.']\n[project]\nname = 'slow'\nversion = '1'\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "slow", name), []byte(text), 0o644))
	}
	require.Zero(t, openTerminal(t, home, dir, nil, "glassjar", "create").ends())
	x := openTerminal(t, home, dir, nil, "glassjar", "install", "./slow", "--build", "slow")
	running := func() string {
		out, _ := exec.Command("pgrep", "-f", mark).Output() // it fails where there is none
		return string(out)
	}
	require.Eventually(t, func() bool { return running() != "" }, 20*time.Second, 20*time.Millisecond)
	_, err := x.pty.Write([]byte{3})
	require.NoError(t, err)
	assert.Equal(t, 130, x.ends(), x.text())
	assert.Eventually(t, func() bool { return running() == "" }, 20*time.Second, 20*time.Millisecond)
	left, err := filepath.Glob(filepath.Join(home, ".cache", "glassjar", "builds", "*.new-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.NoFileExists(t, filepath.Join(dir, "pylock.toml"))
}

// A copied jar is run after one word, and no other.
func TestOneWordTrusts(t *testing.T) {
	home, dir := newHome(t)
	say := func(args ...string) *tty {
		return openTerminal(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	require.Zero(t, say("create").ends())
	require.NoError(t, exec.Command("cp", "-a", filepath.Join(dir, ".jar"), filepath.Join(dir, "copied")).Run())
	for _, answer := range []struct {
		types string
		code  int
	}{{"yes", 6}, {"", 6}, {"trust", 0}} {
		x := say("run", "--jar", "copied", "python", "-c", "print('it', 'runs')")
		x.waits("was not made here for you")
		x.waits("trust, or anything else to leave it: ")
		x.types(answer.types)
		assert.Equal(t, answer.code, x.ends(), answer.types)
		if answer.code == 0 {
			x.waits("it runs") // the terminal may give it a moment later
		} else {
			assert.NotContains(t, x.text(), "it runs")
		}
	}
	x := say("run", "--jar", "copied", "python", "-c", "print('it', 'runs')")
	assert.Zero(t, x.ends())
	x.waits("it runs")
}

// Two people, or one with two terminals: the second waits, is told so, and goes on
// where the first has ended.
func TestTwoTerminals(t *testing.T) {
	home, dir := newHome(t)
	say := func(args ...string) *tty {
		return openTerminal(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	require.Zero(t, say("create").ends())
	require.Zero(t, say("install", "press-schedule").ends())
	first := say("install", "brixmeter<2")
	first.waits("go on? [y/N] ")
	second := say("install", "frost-watch")
	second.waits("waiting: another command is at work on press")
	looker := say("contents")
	looker.waits("press-schedule")
	assert.Zero(t, looker.ends())
	first.types("y")
	assert.Zero(t, first.ends())
	second.waits("add     frost-watch")
	assert.Zero(t, second.ends())
	spec, err := os.ReadFile(filepath.Join(dir, "pyproject.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(spec), "brixmeter<2")
	assert.Contains(t, string(spec), "frost-watch")
	assert.Zero(t, say("check").ends())
}

// A shell that enter opened, and one that reads the activation script, show the jar
// before every prompt, whatever a theme makes of it, and not after.
func TestPromptsShowTheJar(t *testing.T) {
	start := map[string]string{
		".bashrc": "theme() { PS1=\"[$?] theme> \"; }\nPROMPT_COMMAND=theme\n",
		".zshrc":  "precmd() { PROMPT=\"[$?] theme> \" }\nunsetopt prompt_cr prompt_sp zle\n",
		".tcshrc": "alias precmd 'set prompt=\"[$status] theme> \"'\nset prompt = \"[0] theme> \"\n",
		".mkshrc": "PS1='[$?] theme> '\n",
		".shrc":   "PS1='[$?] theme> '\n",
	}
	for shell, how := range map[string]struct{ enter, activate, ending string }{
		"bash": {"y", ".", ""}, "zsh": {"y", ".", ""}, "mksh": {"", ".", ""}, "dash": {"", ".", ""}, "tcsh": {"", "source", ".csh"},
	} {
		t.Run(shell, func(t *testing.T) {
			path, err := exec.LookPath(shell)
			if err != nil {
				t.Skip(shell + " is not installed")
			}
			home, dir := newHome(t)
			for file, text := range start {
				require.NoError(t, os.WriteFile(filepath.Join(home, file), []byte(text), 0o644))
			}
			env := []string{"SHELL=" + path, "ENV=" + filepath.Join(home, ".shrc")}
			require.Zero(t, openTerminal(t, home, dir, nil, "glassjar", "create").ends())
			inside := func(x *tty) {
				x.waits("<press> [0] theme> ")
				x.types("false")
				x.waits("<press> [1] theme> ")
				x.types("echo at:$PATH")
				x.waits("at:" + dir + "/.jar/bin:" + built)
				x.types("deactivate")
				x.types("echo at:$PATH")
				x.waits("at:" + built)
				x.waits("theme> ")
				assert.NotContains(t, x.text()[strings.LastIndex(x.text(), "at:"+built):], "<press>")
				x.types("exit")
				x.ends()
			}
			x := openTerminal(t, home, dir, env, path, "-i")
			x.waits("theme> ")
			x.types(how.activate + " .jar/bin/activate" + how.ending)
			inside(x)
			if how.enter != "" {
				inside(openTerminal(t, home, dir, env, "glassjar", "enter"))
			}
		})
	}
}
