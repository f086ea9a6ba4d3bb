//go:build linux

package e2e

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// filled makes a jar with something in it.
func filled(t *testing.T) (*terminal, string) {
	top := realPath(t, t.TempDir())
	s := newTerminal(t, top)
	s.output("glassjar", "create", "--python", def.Path)
	s.output("glassjar", "install", "press-schedule")
	return s, filepath.Join(top, ".jar")
}

// leftovers are files that no command should leave behind.
func leftovers(t *testing.T, top string) []string {
	var out []string
	require.NoError(t, filepath.WalkDir(top, func(p string, e os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		for _, mark := range []string{".glassjar-", ".coming-", "staging", "journal", ".new-", ".gone"} {
			if strings.Contains(e.Name(), mark) {
				out = append(out, p)
			}
		}
		return nil
	}))
	return out
}

// Killed at a random moment, a change has happened or it has not: the next
// command leaves the jar as it was before or as it would be after, and the
// record and the spec with it.
func TestKilledAtAnyMoment(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(9, 9))
	s, root := filled(t)
	before := s.output("glassjar", "label")
	s.output("glassjar", "install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	after := s.output("glassjar", "label")
	s.output("glassjar", "uninstall", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	require.Equal(t, before, s.output("glassjar", "label"))
	start := time.Now()
	s.output("glassjar", "install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	whole := time.Since(start)
	s.output("glassjar", "uninstall", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	seen := map[string]int{}
	for n := range 40 {
		args := []string{"install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels"}
		cmd := exec.Command(filepath.Join(built, "glassjar"), args...)
		cmd.Dir, cmd.Env = s.dir, s.env
		require.NoError(t, cmd.Start())
		timer := time.AfterFunc(time.Duration(r.Int64N(int64(whole)*5/4)), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		timer.Stop()
		s.settle(".jar")
		label := s.output("glassjar", "label")
		require.Contains(t, []string{before, after}, label, "run %d", n)
		here := s.output("glassjar", "here")
		require.Contains(t, here, "in step", "run %d", n)
		require.Empty(t, leftovers(t, s.dir), "run %d", n)
		seen[label]++
		if label == after {
			s.output("glassjar", "uninstall", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
			require.Equal(t, before, s.output("glassjar", "label"), "run %d", n)
		}
	}
	t.Logf("before %d times, after %d times", seen[before], seen[after])
	assert.DirExists(t, root)
}

// settle is the next command that writes after a kill: it says what it undid. What
// only looks touches nothing.
func (s *terminal) settle(jar string) {
	out, err := s.try("glassjar", "--jar", jar, "check", "--mend")
	if err != nil {
		require.Regexp(s.t, "there is no jar|the spec has changed", out)
	}
}

// A killed recreate leaves no half a jar where none was.
func TestKilledWhileMaking(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(4, 4))
	s, root := filled(t)
	want := s.output("glassjar", "label")
	for n := range 15 {
		s.output("glassjar", "discard", ".jar")
		cmd := exec.Command(filepath.Join(built, "glassjar"), "recreate", "--python", def.Path)
		cmd.Dir, cmd.Env = s.dir, s.env
		require.NoError(t, cmd.Start())
		time.AfterFunc(time.Duration(r.Int64N(int64(60*time.Millisecond))), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		s.output("glassjar", "recreate", "--yes", "--python", def.Path)
		require.Equal(t, want, s.output("glassjar", "label"), "run %d", n)
	}
	assert.DirExists(t, root)
}

// Many at once take turns, and nothing that one writes is lost to another.
func TestManyAtOnce(t *testing.T) {
	s, _ := filled(t)
	names := []string{"cellar-labels", "must-core", "sugar-curve", "pick-list", "graft-notes", "orchard-map", "cider-yeast", "swarm-count"}
	var group sync.WaitGroup
	for _, name := range names {
		group.Add(2)
		go func() {
			defer group.Done()
			out, err := s.try("glassjar", "install", "--yes", name)
			assert.NoError(t, err, out)
		}()
		go func() {
			defer group.Done()
			out, err := s.try("glassjar", "contents")
			assert.NoError(t, err, out)
		}()
	}
	group.Wait()
	spec, err := os.ReadFile(filepath.Join(s.dir, "pyproject.toml"))
	require.NoError(t, err)
	contents := s.output("glassjar", "contents")
	for _, name := range names {
		assert.Contains(t, string(spec), fmt.Sprintf("%q", name))
		assert.Contains(t, contents, name)
	}
	assert.Contains(t, s.output("glassjar", "here"), "in step")
	assert.Contains(t, s.output("glassjar", "recreate"), "nothing to change")
	assert.Empty(t, leftovers(t, s.dir))
}

// A disk that fills up leaves all as it was.
func TestFullDisk(t *testing.T) {
	t.Parallel()
	if os.Getuid() != 0 {
		t.Skip("only root can mount a small file system")
	}
	small := realPath(t, t.TempDir())
	if err := syscall.Mount("tmpfs", small, "tmpfs", 0, "size=3m"); err != nil {
		t.Skipf("no small file system here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(small, 0) })

	// The project's disk.
	s := newTerminal(t, small)
	s.output("glassjar", "create", "--python", def.Path)
	s.output("glassjar", "install", "brixmeter")
	label := s.output("glassjar", "label")
	spec, err := os.ReadFile(filepath.Join(small, "pyproject.toml"))
	require.NoError(t, err)
	out, err := s.try("glassjar", "install", "windfall-atlas")
	require.Error(t, err)
	assert.Contains(t, out, "no space left on device")
	assert.Equal(t, label, s.output("glassjar", "label"))
	again, err := os.ReadFile(filepath.Join(small, "pyproject.toml"))
	require.NoError(t, err)
	assert.Equal(t, string(spec), string(again))
	assert.Empty(t, leftovers(t, small))

	// A clone, and a sealed jar, of what has no room there.
	far := newTerminal(t, realPath(t, t.TempDir()))
	far.output("glassjar", "create", "--python", def.Path)
	far.output("glassjar", "install", "windfall-atlas")
	s.output("glassjar", "trust", filepath.Join(far.dir, ".jar"))
	for _, args := range [][]string{{"clone", filepath.Join(far.dir, ".jar"), "./copy"}, {"--jar", filepath.Join(far.dir, ".jar"), "seal", "far.zip"}, {"clone", filepath.Join(far.dir, "pylock.toml"), "./copy"}} {
		out, err := s.try("glassjar", args...)
		require.Error(t, err, args)
		assert.Contains(t, out, "no space left on device", args)
		assert.NoDirExists(t, filepath.Join(small, "copy"))
		assert.Empty(t, leftovers(t, small), args)
	}
	s.output("glassjar", "check")

	// A disk that may not be written to.
	require.NoError(t, syscall.Mount("", small, "", syscall.MS_REMOUNT|syscall.MS_RDONLY, ""))
	for _, args := range [][]string{{"create", "--at", "other"}, {"install", "must-core"}, {"discard", ".jar"}, {"upgrade", "--pre-releases"}, {"rewind", "1"}, {"clone", ".jar", "./copy"}} {
		out, err := s.try("glassjar", args...)
		require.Error(t, err)
		assert.Contains(t, out, "read-only file system")
	}
	assert.Contains(t, s.output("glassjar", "contents"), "brixmeter")
	assert.Contains(t, s.output("glassjar", "recreate"), "nothing to change")
	require.NoError(t, syscall.Mount("", small, "", syscall.MS_REMOUNT, "size=3m"))
	s.output("glassjar", "discard", ".jar")

	// The store's disk.
	top := realPath(t, t.TempDir())
	s = newTerminal(t, top)
	s.env = append(s.env, "GLASSJAR_HOME="+filepath.Join(small, "home"))
	s.output("glassjar", "create", "--python", def.Path)
	out, err = s.try("glassjar", "install", "windfall-atlas")
	require.Error(t, err)
	assert.Contains(t, out, "no space left on device")
	assert.Empty(t, leftovers(t, small))
	assert.Contains(t, s.output("glassjar", "contents"), "nothing yet")
}

// The same bytes come of it whatever the machine's language, time zone and
// mask.
func TestWhateverTheMachine(t *testing.T) {
	var labels, records []string
	for n, env := range [][]string{{"LC_ALL=C", "TZ=UTC"}, {"LC_ALL=tr_TR.UTF-8", "LANG=tr_TR.UTF-8", "TZ=Asia/Kathmandu"}} {
		top := realPath(t, t.TempDir())
		s := newTerminal(t, top)
		s.env = append(s.env, env...)
		require.NoError(t, os.WriteFile(filepath.Join(top, "pyproject.toml"), []byte("[project]\nname = \"orchard\"\nversion = \"1\"\ndependencies = [\"press-schedule\", \"cellar-labels\"]\n"), 0o644))
		mask := []string{"022", "077"}[n]
		s.output("sh", "-c", "umask "+mask+" && '"+filepath.Join(built, "glassjar")+"' create --python '"+def.Path+"' && '"+filepath.Join(built, "glassjar")+"' install press-schedule")
		labels = append(labels, s.output("glassjar", "label"))
		record, err := os.ReadFile(filepath.Join(top, "pylock.toml"))
		require.NoError(t, err)
		records = append(records, string(record))
		info, err := os.Stat(filepath.Join(top, ".jar", "bin", "press-schedule"))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o755), info.Mode().Perm())
		dir, err := os.Stat(filepath.Join(top, ".jar", "lib"))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o755), dir.Mode().Perm())
	}
	assert.Equal(t, labels[0], labels[1])
	assert.Equal(t, records[0], records[1])
}
