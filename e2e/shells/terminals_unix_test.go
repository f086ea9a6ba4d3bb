//go:build unix

package shells

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
)

// "go on?" stands between a plan and what is done, and no is no.
func TestGoOn(t *testing.T) {
	home, dir := drive.NewHome(t)
	say := func(args ...string) *drive.TTY {
		return drive.OpenTTY(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	require.Zero(t, say("create").Ends())
	require.Zero(t, say("install", "press-schedule").Ends())
	for _, answer := range []struct {
		types string
		code  int
	}{{"n", 1}, {"", 1}, {"what?", 1}, {"yes", 0}} {
		x := say("install", "brixmeter<2")
		x.Waits("change  brixmeter")
		x.Waits("go on? [y/N] ")
		x.Types(answer.types)
		assert.Equal(t, answer.code, x.Ends(), answer.types)
		if answer.code == 1 {
			x.Waits("nothing was changed")
		}
		spec, err := os.ReadFile(filepath.Join(dir, "pyproject.toml"))
		require.NoError(t, err)
		assert.Equal(t, answer.code == 0, strings.Contains(string(spec), "brixmeter<2"), answer.types)
	}
	x := say("discard", ".jar")
	x.Waits("discard this? [y/N] ")
	x.Types("y")
	assert.Zero(t, x.Ends())
	assert.NoDirExists(t, filepath.Join(dir, ".jar"))
}

// What is built from source is asked about, with what will run; yes is written into the spec,
// A copied jar is run after one word, and no other.
func TestOneWordTrusts(t *testing.T) {
	home, dir := drive.NewHome(t)
	say := func(args ...string) *drive.TTY {
		return drive.OpenTTY(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	require.Zero(t, say("create").Ends())
	require.NoError(t, exec.Command("cp", "-a", filepath.Join(dir, ".jar"), filepath.Join(dir, "copied")).Run())
	for _, answer := range []struct {
		types string
		code  int
	}{{"yes", 6}, {"", 6}, {"trust", 0}} {
		x := say("run", "--jar", "copied", "python", "-c", "print('it', 'runs')")
		x.Waits("was not made here for you")
		x.Waits("trust, or anything else to leave it: ")
		x.Types(answer.types)
		assert.Equal(t, answer.code, x.Ends(), answer.types)
		if answer.code == 0 {
			x.Waits("it runs") // the terminal may give it a moment later
		} else {
			assert.NotContains(t, x.Text(), "it runs")
		}
	}
	x := say("run", "--jar", "copied", "python", "-c", "print('it', 'runs')")
	assert.Zero(t, x.Ends())
	x.Waits("it runs")
}

// Two people, or one with two terminals: the second waits, is told so, and goes on
// where the first has ended.
func TestTwoTerminals(t *testing.T) {
	home, dir := drive.NewHome(t)
	say := func(args ...string) *drive.TTY {
		return drive.OpenTTY(t, home, dir, nil, append([]string{"glassjar"}, args...)...)
	}
	require.Zero(t, say("create").Ends())
	require.Zero(t, say("install", "press-schedule").Ends())
	first := say("install", "brixmeter<2")
	first.Waits("go on? [y/N] ")
	second := say("install", "frost-watch")
	second.Waits("waiting: another command is at work on press")
	looker := say("contents")
	looker.Waits("press-schedule")
	assert.Zero(t, looker.Ends())
	first.Types("y")
	assert.Zero(t, first.Ends())
	second.Waits("add     frost-watch")
	assert.Zero(t, second.Ends())
	spec, err := os.ReadFile(filepath.Join(dir, "pyproject.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(spec), "brixmeter<2")
	assert.Contains(t, string(spec), "frost-watch")
	assert.Zero(t, say("check").Ends())
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
			home, dir := drive.NewHome(t)
			for file, text := range start {
				require.NoError(t, os.WriteFile(filepath.Join(home, file), []byte(text), 0o644))
			}
			env := []string{"SHELL=" + path, "ENV=" + filepath.Join(home, ".shrc")}
			require.Zero(t, drive.OpenTTY(t, home, dir, nil, "glassjar", "create").Ends())
			inside := func(x *drive.TTY) {
				x.Waits("<press> [0] theme> ")
				x.Types("false")
				x.Waits("<press> [1] theme> ")
				x.Types("echo at:$PATH")
				x.Waits("at:" + dir + "/.jar/bin:" + drive.Built)
				x.Types("deactivate")
				x.Types("echo at:$PATH")
				x.Waits("at:" + drive.Built)
				x.Waits("theme> ")
				assert.NotContains(t, x.Text()[strings.LastIndex(x.Text(), "at:"+drive.Built):], "<press>")
				x.Types("exit")
				x.Ends()
			}
			x := drive.OpenTTY(t, home, dir, env, path, "-i")
			x.Waits("theme> ")
			x.Types(how.activate + " .jar/bin/activate" + how.ending)
			inside(x)
			if how.enter != "" {
				inside(drive.OpenTTY(t, home, dir, env, "glassjar", "enter"))
			}
		})
	}
}
