//go:build linux

package faults

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
	"glassjar/core/wheel"
	"glassjar/internal/long"
	"glassjar/internal/wait"

	"glassjar/e2e/drive"
)

// altering are the system calls by which a command changes what is on a disk.
const altering = "rename,renameat,renameat2,unlink,unlinkat,rmdir,openat,link,linkat,symlink,symlinkat,mkdir,mkdirat,write,ftruncate,fchmod,fchmodat,fsync,syncfs,flock,utimensat"

// campaign is a command that is hit by faults, in a user's world: a home folder of
// its own, default folders, no variables.
type campaign struct {
	name  string
	ready func(*drive.Terminal)
	args  []string
}

// chosen stands for the interpreter of the tests: errors are injected into what a command
// starts as well, and one interpreter that cannot be asked is no reason to take another.
const chosen = "PYTHON"

var campaigns = []campaign{
	{"create", func(*drive.Terminal) {}, []string{"create", "--python", chosen}},
	{"create and fill", func(*drive.Terminal) {}, []string{"create", "--python", chosen, "--put", "press-schedule"}},
	{"install", fillSmall, []string{"install", "--yes", "orchard-tools-hives", "co-op-day"}},
	{"uninstall", fillLarge, []string{"uninstall", "--yes", "tree-survey"}},
	{"upgrade", func(s *drive.Terminal) {
		s.Output("glassjar", "create", "--put", "brixmeter<2", "--put", "co-op-day")
		s.Output("sh", "-c", "sed -i 's/<2//' pyproject.toml")
	}, []string{"upgrade", "--yes"}},
	{"rewind", fillLarge, []string{"rewind", "2", "--yes"}},
	{"recreate", func(s *drive.Terminal) { fillLarge(s); s.Removes(filepath.Join(s.Dir, ".jar")) }, []string{"recreate", "--yes", "--python", chosen}},
	{"mend", func(s *drive.Terminal) {
		fillLarge(s)
		s.Output("sh", "-c", "rm .jar/lib/*/site-packages/press_schedule*/METADATA; echo >> .jar/bin/press-schedule")
	}, []string{"check", "--mend"}},
	{"clone", fillSmall, []string{"clone", ".jar", "./copy"}},
	{"discard", fillSmall, []string{"discard", ".jar"}},
	{"record", func(s *drive.Terminal) { fillSmall(s); s.Output("rm", "pylock.toml") }, []string{"record"}},
	{"seal", fillSmall, []string{"seal", "press.zip"}},
	{"index", fillSmall, []string{"index", "add", "wheels", "./wheels", "--project"}},
	{"settings", func(*drive.Terminal) {}, []string{"settings", "placing", "copy"}},
	{"tidy", func(s *drive.Terminal) { fillLarge(s); s.Output("glassjar", "discard", ".jar") }, []string{"store", "tidy"}},
}

// words are what is typed.
func (c campaign) words() []string {
	out := slices.Clone(c.args)
	for i, word := range out {
		if word == chosen {
			out[i] = drive.Default.Path
		}
	}
	return out
}

// ground is a folder with a home and a project that is laid out anew for each fault.
type ground struct {
	*drive.Terminal
	top string
}

func newGround(t *testing.T, c campaign) *ground {
	if _, err := exec.LookPath("strace"); err != nil {
		t.Skip("strace is not installed")
	}
	top := drive.RealPath(t, t.TempDir())
	g := &ground{&drive.Terminal{T: t, Dir: filepath.Join(top, "work", "p")}, top}
	g.Env = []string{"HOME=" + filepath.Join(top, "work", "home"), "PATH=" + drive.Built + ":/usr/bin:/bin", "LANG=C.UTF-8"}
	require.NoError(t, os.MkdirAll(g.Dir, 0o755))
	require.NoError(t, os.MkdirAll(filepath.Join(top, "work", "home"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(g.Dir, "pyproject.toml"), []byte("[project]\nname = \"press-house\"\nversion = \"1\"\ndependencies = []\n"), 0o644))
	g.Output("glassjar", "settings", "bytecode", "off")
	c.ready(g.Terminal)
	g.Output("cp", "-a", "../../work", "../../pristine")
	return g
}

func (g *ground) layOut() {
	dir := g.Dir
	g.Dir = g.top
	g.Output("sh", "-c", "chmod -R u+w work; rm -rf work && cp -a pristine work")
	g.Dir = dir
	g.Trusts()
}

// traced runs a command under strace, in the background.
func (g *ground) traced(inject string, args ...string) (*exec.Cmd, *bytes.Buffer) {
	words := append([]string{"-f", "-qq", "-o", filepath.Join(g.top, "trace"), "-e", "trace=" + altering, "-e", "signal=none"}, inject)
	if inject == "" {
		words = words[:len(words)-1]
	}
	cmd := exec.Command("strace", append(append(words, filepath.Join(drive.Built, "glassjar")), args...)...)
	var out bytes.Buffer
	cmd.Dir, cmd.Env, cmd.Stdout, cmd.Stderr = g.Dir, g.Env, &out, &out
	require.NoError(g.T, cmd.Start())
	return cmd, &out
}

// calls is how often the command makes each of the calls, in its busiest thread.
func (g *ground) calls(args []string) map[string]int {
	cmd, out := g.traced("", args...)
	require.NoError(g.T, cmd.Wait(), out.String())
	data, err := os.ReadFile(filepath.Join(g.top, "trace"))
	require.NoError(g.T, err)
	threads, most := map[string]int{}, map[string]int{}
	for _, line := range strings.Split(string(data), "\n") {
		fields := strings.Fields(line)
		if len(fields) < 2 {
			continue
		}
		if call, _, ok := strings.Cut(fields[1], "("); ok {
			threads[fields[0]+call]++
			most[call] = max(most[call], threads[fields[0]+call])
		}
	}
	return most
}

// state is all that a person would miss: spec, record, settings, and the jars' files.
func (g *ground) state() string {
	var b strings.Builder
	for _, file := range []string{"pyproject.toml", "pylock.toml", "../home/.config/glassjar/settings.toml"} {
		data, err := os.ReadFile(filepath.Join(g.Dir, file))
		fmt.Fprintf(&b, "%s %v\n%s\n", file, err == nil, data)
	}
	for _, jar := range []string{".jar", "copy"} {
		if out, err := g.Try("glassjar", "--jar", jar, "label", "--json"); err == nil {
			_, label, _ := strings.Cut(out, `"label"`)
			label, _, _ = strings.Cut(label, ",")
			fmt.Fprintf(&b, "%s %s\n", jar, label)
		} else {
			fmt.Fprintf(&b, "%s none\n", jar)
			require.Contains(g.T, out, "there is no jar", "%s: %s", jar, out)
		}
	}
	return b.String()
}

// whole looks that nothing is wrong after a fault: the next command that writes needs
// no help, and then all is clean and nothing is left.
func (g *ground) whole(what string) string {
	g.Settle(".jar")
	state := g.state()
	out, err := g.Try("glassjar", "--jar", ".jar", "check")
	if err != nil {
		require.Regexp(g.T, "there is no jar|the spec has changed|RECORD", out, what)
	}
	g.Output("glassjar", "store", "verify")
	require.Empty(g.T, drive.Leftovers(g.T, filepath.Join(g.top, "work")), what)
	return state
}

// Killed at a system call, or told of an input or output error by one, a command has
// happened or it has not, and the next one needs no help.
func TestFaults(t *testing.T) {
	long.Only(t)
	each := long.Times(2, 2000/2/len(campaigns))
	for i, c := range campaigns {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(12, uint64(i)))
			g := newGround(t, c)
			before := g.state()
			counted := g.calls(c.words())
			after := g.state()
			var names []string
			for call := range counted {
				names = append(names, call)
			}
			hit := map[string]int{}
			for n := range 2 * each {
				g.layOut()
				call := names[r.IntN(len(names))]
				fault := "signal=KILL"
				if n%2 == 1 {
					fault = []string{"error=EIO", "error=ENOSPC", "error=EMFILE"}[r.IntN(3)]
				}
				what := fmt.Sprintf("inject=%s:%s:when=%d", call, fault, 1+r.IntN(counted[call]))
				cmd, out := g.traced("-einject="+strings.TrimPrefix(what, "inject="), c.words()...)
				failed := cmd.Wait() != nil
				state := g.whole(what + "\n" + out.String())
				switch state {
				case before:
					hit["before"]++
					assert.True(t, failed || before == after, "%s: it said that it was done\n%s", what, out)
				case after:
					hit["after"]++
				default:
					// A spec or record may be written by one step of a command that has no jar.
					t.Errorf("%s: neither before nor after\n%s\n--- is\n%s\n--- before\n%s\n--- after\n%s", what, out, state, before, after)
				}
			}
			t.Log(hit)
		})
	}
}

// A command that waits for one that is killed goes on as if that had never begun;
// killed itself as well, it leaves nothing half done either.
func TestWaiterAfterKill(t *testing.T) {
	long.Only(t)
	t.Parallel()
	c := campaign{"uninstall", fillLarge, []string{"uninstall", "--yes", "tree-survey"}}
	g := newGround(t, c)
	times := long.Times(3, 200)
	for n := range times {
		g.layOut()
		first, out := g.traced("-einject=rename,renameat,renameat2:delay_exit=60000", c.args...)
		wait.For(t, func() bool { return drive.Exists(filepath.Join(g.Dir, ".jar/glassjar/journal.txt")) }, "the journal of the first command: %s", out)
		second := exec.Command(filepath.Join(drive.Built, "glassjar"), "install", "--yes", "swarm-count")
		var said bytes.Buffer
		second.Dir, second.Env, second.Stdout, second.Stderr = g.Dir, g.Env, &said, &said
		require.NoError(t, second.Start())
		time.Sleep(time.Duration(50+100*n%400) * time.Millisecond)
		// strace is told by its own death, its child by a signal of its own.
		g.Output("sh", "-c", fmt.Sprintf("kill -9 $(ps -o pid= --ppid %d)", first.Process.Pid))
		_ = first.Wait()
		if n%3 == 2 {
			time.Sleep(time.Duration(n*13%90) * time.Millisecond)
			_ = second.Process.Kill()
		}
		err := second.Wait()
		if n%3 != 2 {
			require.NoError(t, err, "%s\n%s", out, &said)
		}
		state := g.whole(said.String())
		assert.Contains(t, state, "tree-survey")
		if err == nil { // killed, it may have come to its end all the same
			assert.Contains(t, state, `"swarm-count"`)
		}
		assert.Contains(t, g.Output("glassjar", "check"), "nothing wrong")
	}
}

// A change flushes at most four times: file by file where it is small, all of the
// file system where it is large. Who only looks, or changes nothing, flushes nothing.
func TestFlushes(t *testing.T) {
	g := newGround(t, campaign{"flushes", func(s *drive.Terminal) {
		fillSmall(s)
		require.NoError(t, os.Mkdir(filepath.Join(s.Dir, "wheels"), 0o755))
		spec := wheel.Spec{Name: "many-modules", Version: version.MustParse("1"), Tag: "py3-none-any", Metadata: []byte("Metadata-Version: 2.1\nName: many-modules\nVersion: 1\n")}
		for n := range 300 {
			spec.Files = append(spec.Files, wheel.File{Path: fmt.Sprintf("many/m%d.py", n), Data: fmt.Appendf(nil, "x = %d\n", n)})
		}
		var b bytes.Buffer
		require.NoError(t, wheel.Write(&b, spec))
		require.NoError(t, os.WriteFile(filepath.Join(s.Dir, "wheels", spec.FileName()), b.Bytes(), 0o644))
		s.Output("glassjar", "index", "add", "wheels", "wheels", "--project")
		s.Output("glassjar", "index", "add", "sample", "sample:", "--project")
	}, nil})
	for _, c := range []struct {
		args         []string
		whole, files int // at most
	}{
		{[]string{"contents"}, 0, 0}, {[]string{"check"}, 0, 0}, {[]string{"here"}, 0, 0}, {[]string{"label"}, 0, 0}, {[]string{"shelf"}, 0, 0},
		{[]string{"install", "press-schedule"}, 0, 0}, {[]string{"run", "true"}, 0, 0},
		{[]string{"install", "--yes", "cellar-labels"}, 0, 60},
		{[]string{"install", "--yes", "many-modules"}, 2, 20},
	} {
		cmd, out := g.traced("", c.args...)
		require.NoError(t, cmd.Wait(), out.String())
		data, err := os.ReadFile(filepath.Join(g.top, "trace"))
		require.NoError(t, err)
		whole, files := strings.Count(string(data), " syncfs("), strings.Count(string(data), " fsync(")
		assert.LessOrEqual(t, whole, c.whole, "%v", c.args)
		assert.LessOrEqual(t, files, c.files, "%v", c.args)
		if c.files > 0 {
			assert.Positive(t, whole+files, "%v", c.args)
		}
	}
}

// Several jars of a project, several commands for a jar that is not there, several
// writers of one spec: what one writes is not lost to another.
func TestManyJarsAtOnce(t *testing.T) {
	g := newGround(t, campaign{"at once", func(s *drive.Terminal) {
		fillSmall(s)
		s.Output("glassjar", "create", "--at", ".jar-test")
		s.Output("glassjar", "index", "add", "sample", "sample:", "--project")
		s.Output("mkdir", "wheels")
	}, nil})
	all := func(commands ...[]string) {
		results := make(chan error, len(commands))
		for _, args := range commands {
			go func() {
				out, err := g.Try("glassjar", args...)
				if err != nil {
					err = fmt.Errorf("%v: %s", args, out)
				}
				results <- err
			}()
		}
		for range commands {
			assert.NoError(t, <-results)
		}
	}
	all([]string{"--jar", ".jar", "install", "--yes", "cellar-labels"}, []string{"--jar", ".jar-test", "install", "--yes", "sugar-curve"},
		[]string{"index", "add", "wheels", "./wheels", "--project"}, []string{"index", "add", "other", "./wheels", "--project"})
	spec, err := os.ReadFile(filepath.Join(g.Dir, "pyproject.toml"))
	require.NoError(t, err)
	for _, want := range []string{"press-schedule", "cellar-labels", "sugar-curve", `"wheels"`, `"other"`} {
		assert.Contains(t, string(spec), want)
	}
	g.layOut()
	g.Removes(filepath.Join(g.Dir, ".jar"))
	all([]string{"recreate", "--yes"}, []string{"recreate", "--yes"}, []string{"recreate", "--yes"})
	assert.Contains(t, g.Output("glassjar", "--jar", ".jar", "check"), "nothing wrong")
}

// A check beside a writer finds no fault that there is not, and no label of no state.
func TestLookingBesideAWriter(t *testing.T) {
	t.Parallel()
	g := newGround(t, campaign{"beside", fillSmall, nil})
	labels := map[string]bool{g.Output("glassjar", "label"): true}
	g.Output("glassjar", "install", "--yes", "tree-survey", "co-op-day")
	labels[g.Output("glassjar", "label")] = true
	g.Output("glassjar", "uninstall", "--yes", "tree-survey", "co-op-day")
	labels[g.Output("glassjar", "label")] = true
	done := make(chan bool)
	go func() {
		defer close(done)
		for range long.Times(2, 6) {
			g.Output("glassjar", "install", "--yes", "tree-survey", "co-op-day")
			g.Output("glassjar", "uninstall", "--yes", "tree-survey", "co-op-day")
		}
	}()
	for looks := 0; ; looks++ {
		select {
		case <-done:
			assert.Greater(t, looks, 1)
			return
		default:
		}
		out := g.Output("glassjar", "check")
		require.Contains(t, out, "nothing wrong")
		require.True(t, labels[g.Output("glassjar", "label")])
	}
}

// What the machine denies is told as such, with a way on, and is never taken for less:
// no locks, a mask that takes the owner's rights, a Python that was killed when it was
// asked, a jar that another user left in the middle of a change.
func TestDenied(t *testing.T) {
	t.Parallel()
	g := newGround(t, campaign{"denied", fillSmall, nil})
	cmd, out := g.traced("-einject=flock:error=ENOLCK", "install", "--yes", "swarm-count")
	_ = cmd.Wait()
	assert.Equal(t, 8, cmd.ProcessState.ExitCode(), out.String())
	assert.Contains(t, out.String(), "has no locks")
	assert.Contains(t, out.String(), "glassjar settings without-locks true")
	g.Output("glassjar", "settings", "without-locks", "true")
	cmd, out = g.traced("-einject=flock:error=ENOLCK", "install", "--yes", "swarm-count")
	require.NoError(t, cmd.Wait(), out.String())
	assert.Contains(t, g.Output("glassjar", "check"), "nothing wrong")

	g.layOut()
	g.Output("sh", "-c", "umask 777; glassjar install -q --yes swarm-count && glassjar create -q scratch && glassjar check && test \"$(glassjar run sh -c umask)\" = 0777")

	// Left by one who was killed, a jar can be looked at by another, who is told.
	g.layOut()
	first, _ := g.traced("-einject=rename,renameat,renameat2:delay_exit=100000", "uninstall", "--yes", "press-schedule")
	journal := filepath.Join(g.Dir, ".jar", "glassjar", "journal.txt")
	wait.For(t, func() bool { return drive.Exists(journal) }, "the journal of a command that was killed")
	g.Output("sh", "-c", fmt.Sprintf("kill -9 $(ps -o pid= --ppid %d)", first.Process.Pid))
	_ = first.Wait()
	require.FileExists(t, journal)
	for _, look := range []string{"contents", "check", "label"} {
		out, err := g.Try("glassjar", look)
		require.Error(t, err)
		assert.Contains(t, out, "in the middle of a change that was cut off")
	}
	assert.Contains(t, g.Output("glassjar", "here"), "cut off")
	assert.Contains(t, g.Output("glassjar", "shelf"), "cut off")
	if os.Getuid() == 0 {
		g.Output("chmod", "-R", "a+rX", g.top)
		for dir := g.top; dir != "/tmp" && dir != "/"; dir = filepath.Dir(dir) {
			require.NoError(t, os.Chmod(dir, 0o755))
		}
		require.NoError(t, os.Chmod(drive.Built, 0o755))
		require.NoError(t, os.Chmod(filepath.Dir(drive.Built), 0o755))
		cmd := exec.Command("setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", filepath.Join(drive.Built, "glassjar"), "contents")
		cmd.Dir, cmd.Env = g.Dir, []string{"HOME=/nonexistent", "PATH=/usr/bin:/bin"}
		out, err := cmd.CombinedOutput()
		require.Error(t, err)
		assert.Contains(t, string(out), "in the middle of a change that was cut off")
	}
	require.FileExists(t, journal, "nobody who looks puts it right")
	assert.Contains(t, g.Output("glassjar", "check", "--mend"), "was undone")
	assert.Contains(t, g.Output("glassjar", "contents"), "press-schedule")

	// A distribution with data files is mended, and moves to another release and back.
	g.Output("glassjar", "install", "-q", "--yes", "co-op-day")
	g.Output("sh", "-c", "rm .jar/lib/*/site-packages/co_op_day*.py || rm .jar/lib/*/site-packages/co_op_day/*.py")
	assert.Contains(t, g.Output("glassjar", "check", "--mend"), "nothing wrong")
	g.Output("glassjar", "rewind", "2", "--yes")
	g.Output("glassjar", "rewind", "--yes")
	assert.Contains(t, g.Output("glassjar", "check"), "nothing wrong")

	// A name that is nowhere leaves no jar, so that the right one can follow.
	_, err := g.Try("glassjar", "create", "tools", "--put", "brixmetre")
	require.Error(t, err)
	g.Output("glassjar", "create", "tools", "--put", "brixmeter")
	assert.Contains(t, g.Output("glassjar", "--jar", "tools", "contents"), "brixmeter")
}
