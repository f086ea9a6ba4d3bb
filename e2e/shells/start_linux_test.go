package shells

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
	"glassjar/internal/long"
)

// startGround is a project with a jar, in which what a plain run came to is kept.
type startGround struct {
	*drive.Terminal
	trace string
}

func newStartGround(t *testing.T) *startGround {
	if _, err := exec.LookPath("strace"); err != nil {
		t.Skip("strace is not installed")
	}
	g := &startGround{drive.NewTerminal(t, drive.RealPath(t, t.TempDir())), filepath.Join(t.TempDir(), "trace")}
	g.Output("glassjar", "settings", "bytecode", "off")
	g.Output("glassjar", "create")
	g.write("ask.py", "import os, sys\nprint(sys.prefix, sys.argv[1:], os.environ.get('PYTHONNOUSERSITE'))\n")
	g.write(".jar/bin/press-now", "#!/bin/sh\necho pressed\n")
	time.Sleep(100 * time.Millisecond) // what has just been made may change once more within a tick
	return g
}

func (g *startGround) write(path, text string) {
	require.NoError(g.T, os.WriteFile(filepath.Join(g.Dir, path), []byte(text), 0o755))
}

// looked runs a command in the jar and gives what it printed, and the paths that the
// program named to the system before it started it.
func (g *startGround) looked(command ...string) (out string, files []string) {
	return g.traced(append([]string{"run"}, command...)...)
}

// traced is that of a command of the program.
func (g *startGround) traced(words ...string) (out string, files []string) {
	out, _ = g.Try("strace", append([]string{"-f", "-o", g.trace, "-e", "trace=%file", filepath.Join(drive.Built, "glassjar")}, words...)...)
	data, err := os.ReadFile(g.trace)
	require.NoError(g.T, err)
	before, _, _ := strings.Cut(string(data), `execve("`+g.Dir+"/.jar/bin/")
	for _, m := range pathOfCall.FindAllStringSubmatch(before, -1) {
		files = append(files, m[1])
	}
	return out, files
}

var pathOfCall = regexp.MustCompile(`\d+ +\w+\([^"]*"([^"]+)"`)

// whole reports whether the whole program was at work: only it asks where the system has
// the user's folders.
func (g *startGround) whole() bool {
	data, err := os.ReadFile(g.trace)
	require.NoError(g.T, err)
	return strings.Contains(string(data), "user-dirs.dirs")
}

func (g *startGround) kept() string {
	data, err := exec.Command("sh", "-c", "cat "+g.Home()+"/.cache/glassjar/starts/*").Output()
	if err != nil {
		return ""
	}
	return string(data)
}

// allKept checks that all that was looked at is part of what is kept, but for what has no say.
func (g *startGround) allKept(files []string, further string) {
	text := g.kept()
	outside := regexp.MustCompile(`^/(proc|sys|dev|etc/ld|lib|usr/lib)|/user-dirs\.dirs$|/\.cache/|\.so[.\d]*$|/lent/|/kernels\.json$|` + further) // lent and kernels only follow a jar that moved
	for _, file := range files {
		if !strings.HasPrefix(g.Dir, file+"/") { // folders on the way have no say: the last one is known by its number
			assert.True(g.T, outside.MatchString(file) || strings.Contains(text, strconv.Quote(file)), "%s was looked at and is not kept", file)
		}
	}
}

// A plain run that came to the same a moment ago starts its command at once. What is
// kept for that is all that the whole program looks at.
func TestKeptStart(t *testing.T) {
	g := newStartGround(t)
	out, files := g.looked("ask.py", "a", "--b")
	require.True(t, g.whole())
	assert.Contains(t, out, g.Dir+"/.jar ['a', '--b'] None")
	g.allKept(files, `/glassjar$|ask\.py$`)
	again, _ := g.looked("ask.py", "a", "--b")
	assert.False(t, g.whole())
	assert.Equal(t, out, again)
	out, _ = g.looked("press-now")
	assert.False(t, g.whole())
	assert.Equal(t, "pressed\n", out)
	out, _ = g.looked("printenv", "VIRTUAL_ENV")
	assert.False(t, g.whole(), "of the system's programs it is the same")
	assert.Equal(t, g.Dir+"/.jar\n", out)
	g.write("tool", "#!/bin/sh\necho $0 $VIRTUAL_ENV\n")
	for name, whole := range map[string]bool{"./tool": false, g.Dir + "/tool": false, ".//tool": true} {
		out, _ = g.looked(name)
		assert.Equal(t, whole, g.whole(), name)
		assert.Equal(t, g.Dir+"/tool "+g.Dir+"/.jar\n", out, name)
	}
	g.write("long.py", "# /// script\n# dependencies = []\n# ///\nimport sys\nprint(sys.prefix)\n"+strings.Repeat("#\n", 1<<16))
	out, _ = g.looked("long.py")
	assert.True(t, g.whole())
	assert.Contains(t, out, "/scripts/", "a long script has a jar of its own as well")
	out, _ = g.looked("press-nwo")
	assert.Contains(t, out, "did you mean press-now")
	g.Output("sh", "-c", "mkdir deep && cd deep && glassjar run ../ask.py")
}

// Once anything that had a say is not as it was, the whole program does the work.
func TestKeptStartGivesWay(t *testing.T) {
	long.Only(t)
	shell := func(line string) func(g *startGround) {
		return func(g *startGround) { g.Output("sh", "-c", line) }
	}
	const stranger = "was not made here for you"
	for name, c := range map[string]struct {
		change func(g *startGround)
		want   string // in what "run ask.py" prints
	}{
		"a setting":               {shell("glassjar settings sealed-off true"), "[] 1"},
		"the jar's state":         {shell("touch -d 2021-01-01 .jar/glassjar/jar.json"), "[] None"},
		"packages":                {shell("glassjar install -q press-schedule"), "[] None"},
		"the interpreter's link":  {shell("ln -sfn /bin/echo .jar/bin/python"), stranger},
		"its configuration":       {shell("echo home = /usr/bin > .jar/pyvenv.cfg"), stranger},
		"trust":                   {shell("glassjar trust --withdraw"), stranger},
		"a copy in its place":     {shell("cp -a .jar other && rm -r .jar && mv other .jar"), stranger},
		"a block of metadata":     {shell(`printf '# /// script\n# dependencies = ["must-core"]\n# ///\nimport must_core\nprint(must_core.__name__)\n' >ask.py`), "must_core"},
		"a change, cut off":       {shell(": > .jar/glassjar/journal.txt"), "is damaged"},
		"no jar any more":         {shell("glassjar discard .jar --yes"), "glassjar create"},
		"the note is another's":   {shell("sed -i s,$PWD,/nowhere, ~/.cache/glassjar/starts/*"), "[] None"},
		"the note is everybody's": {shell("chmod go+w ~/.cache/glassjar/starts/*"), "[] None"},
		"half a note":             {shell("truncate -s 300 ~/.cache/glassjar/starts/*"), "[] None"},
		"another home":            {func(g *startGround) { g.Env[0] = "HOME=" + g.T.TempDir() }, stranger},
		"another active jar": {func(g *startGround) {
			g.Output("glassjar", "create", "tools")
			g.Env = append(g.Env, "VIRTUAL_ENV="+g.Home()+"/.local/share/glassjar/shelf/tools")
		}, "two jars are in question"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			g := newStartGround(t)
			g.looked("ask.py")
			g.looked("ask.py")
			require.False(t, g.whole())
			c.change(g)
			out, _ := g.looked("ask.py")
			assert.True(t, g.whole())
			assert.Contains(t, out, c.want)
		})
	}
}

// A script that has a jar of its own starts at once too, wherever it is run from, until it asks for
// something else.
func TestKeptStartOfScript(t *testing.T) {
	long.Only(t)
	g := newStartGround(t)
	script := func(asks string) {
		g.write("tally.py", "# /// script\n# dependencies = ['"+asks+"']\n# ///\nimport importlib.metadata as m, sys\nprint([d.name for d in m.distributions()], sys.argv[1:])\n")
		time.Sleep(100 * time.Millisecond)
	}
	run := func(whole bool, want string) {
		t.Helper()
		out, _ := g.looked("./tally.py", "a")
		assert.Contains(t, out, want)
		assert.Equal(t, whole, g.whole())
	}
	script("must-core")
	run(true, "['must-core'] ['a']")
	time.Sleep(100 * time.Millisecond)
	run(true, "['must-core'] ['a']")
	run(false, "['must-core'] ['a']")
	script("orchard-core")
	run(true, "['orchard-core'] ['a']")
	g.Output("glassjar", "record", "--of", "tally.py")
	time.Sleep(100 * time.Millisecond)
	run(true, "['orchard-core'] ['a']")
	script("must-core")
	out, _ := g.looked("./tally.py")
	assert.Contains(t, out, "asks for something else than its record has")
	require.NoError(t, os.Remove(filepath.Join(g.Dir, "pylock.tally+py.toml")))
	run(true, "['must-core'] ['a']")
	run(false, "['must-core'] ['a']")
	g.Output("sh", "-c", "rm -r ~/.local/share/glassjar/scripts/*")
	run(true, "['must-core'] ['a']")
}

// An install that has nothing to do says so at once, as long as nothing that had a say in that has
// changed.
func TestKeptAnswer(t *testing.T) {
	long.Only(t)
	install := []string{"install", "press-schedule"}
	ground := func(t *testing.T) *startGround {
		g := newStartGround(t)
		g.Output("glassjar", install...)
		time.Sleep(100 * time.Millisecond)
		g.traced(install...)
		require.True(t, g.whole())
		return g
	}
	g := ground(t)
	out, _ := g.traced(install...)
	assert.False(t, g.whole())
	assert.Contains(t, out, "nothing to change")
	g.Output("sh", "-c", "rm ~/.cache/glassjar/starts/*")
	again, files := g.traced(install...)
	assert.True(t, g.whole())
	assert.Equal(t, again, out)
	g.allKept(files, `/glassjar$|/glassjar/(lock|history/\d+\.json|trash|staging|journal-done\.txt)$|/state/glassjar/(locks|making)|/store/|/\.git$`) // folders of the jar's own have a say
	for name, c := range map[string]struct {
		change, want string
	}{
		"a spec":               {"sed -i 's/press-schedule/press-schedule<2/' pyproject.toml", "press-schedule"},
		"a record":             {"rm pylock.toml", "wrote   pylock.toml"},
		"a package":            {"rm -r .jar/lib/python3*/site-packages/press_schedule-*.dist-info", "press-schedule"},
		"a package of others":  {"for site in .jar/lib/python3*/site-packages; do mkdir $site/own-1.0.dist-info; done", "nothing to change"},
		"another state":        {"glassjar install -q must-core", "nothing to change"},
		"a setting":            {"glassjar settings sealed-off true", "nothing to change"},
		"trust":                {"glassjar trust --withdraw", "was not made here for you"},
		"a change, cut off":    {": > .jar/glassjar/journal.txt", "is damaged"},
		"the note is damaged":  {"truncate -s 300 ~/.cache/glassjar/starts/*-said", "nothing to change"},
		"the note is not ours": {"chmod go+w ~/.cache/glassjar/starts/*-said", "nothing to change"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			g := ground(t)
			g.traced(install...)
			require.False(t, g.whole())
			g.Output("sh", "-c", c.change)
			out, _ := g.traced(install...)
			assert.True(t, g.whole())
			assert.Contains(t, out, c.want)
		})
	}
	for _, words := range [][]string{{"install", "press-schedule", "--json"}, {"install", "--plan", "press-schedule"}, {"install", "must-core"}} {
		g.traced(words...)
		assert.True(t, g.whole(), "%s", words)
	}
	g.Env = append(g.Env, "COLUMNS=60")
	g.traced(install...)
	assert.True(t, g.whole(), "another variable")
}
