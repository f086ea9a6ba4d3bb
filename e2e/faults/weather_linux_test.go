//go:build linux

package faults

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
	"glassjar/internal/long"
)

// Killed at a random moment, a change has happened or it has not: the next
// command leaves the jar as it was before or as it would be after, and the
// record and the spec with it.
func TestKilledAtAnyMoment(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(9, 9))
	s, root := drive.Filled(t)
	before := s.Output("glassjar", "label")
	s.Output("glassjar", "install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	after := s.Output("glassjar", "label")
	s.Output("glassjar", "uninstall", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	require.Equal(t, before, s.Output("glassjar", "label"))
	start := time.Now()
	s.Output("glassjar", "install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	whole := time.Since(start)
	s.Output("glassjar", "uninstall", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
	seen := map[string]int{}
	for n := range long.Times(4, 40) {
		args := []string{"install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels"}
		cmd := exec.Command(filepath.Join(drive.Built, "glassjar"), args...)
		cmd.Dir, cmd.Env = s.Dir, s.Env
		require.NoError(t, cmd.Start())
		timer := time.AfterFunc(time.Duration(r.Int64N(int64(whole)*5/4)), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		timer.Stop()
		s.Settle(".jar")
		label := s.Output("glassjar", "label")
		require.Contains(t, []string{before, after}, label, "run %d", n)
		here := s.Output("glassjar", "here")
		require.Contains(t, here, "in step", "run %d", n)
		require.Empty(t, drive.Leftovers(t, s.Dir), "run %d", n)
		seen[label]++
		if label == after {
			s.Output("glassjar", "uninstall", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels")
			require.Equal(t, before, s.Output("glassjar", "label"), "run %d", n)
		}
	}
	t.Logf("before %d times, after %d times", seen[before], seen[after])
	assert.DirExists(t, root)
}

// A killed recreate leaves no half a jar where none was.
func TestKilledWhileMaking(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(4, 4))
	s, root := drive.Filled(t)
	want := s.Output("glassjar", "label")
	for n := range long.Times(3, 15) {
		s.Output("glassjar", "discard", ".jar")
		cmd := exec.Command(filepath.Join(drive.Built, "glassjar"), "recreate", "--python", drive.Default.Path)
		cmd.Dir, cmd.Env = s.Dir, s.Env
		require.NoError(t, cmd.Start())
		time.AfterFunc(time.Duration(r.Int64N(int64(60*time.Millisecond))), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		s.Output("glassjar", "recreate", "--yes", "--python", drive.Default.Path)
		require.Equal(t, want, s.Output("glassjar", "label"), "run %d", n)
	}
	assert.DirExists(t, root)
}

// Many at once take turns, and nothing that one writes is lost to another.
func TestManyAtOnce(t *testing.T) {
	s, _ := drive.Filled(t)
	names := []string{"cellar-labels", "must-core", "sugar-curve", "pick-list", "graft-notes", "orchard-map", "cider-yeast", "swarm-count"}
	var group sync.WaitGroup
	for _, name := range names {
		group.Add(2)
		go func() {
			defer group.Done()
			out, err := s.Try("glassjar", "install", "--yes", name)
			assert.NoError(t, err, out)
		}()
		go func() {
			defer group.Done()
			out, err := s.Try("glassjar", "contents")
			assert.NoError(t, err, out)
		}()
	}
	group.Wait()
	spec, err := os.ReadFile(filepath.Join(s.Dir, "pyproject.toml"))
	require.NoError(t, err)
	contents := s.Output("glassjar", "contents")
	for _, name := range names {
		assert.Contains(t, string(spec), fmt.Sprintf("%q", name))
		assert.Contains(t, contents, name)
	}
	assert.Contains(t, s.Output("glassjar", "here"), "in step")
	assert.Contains(t, s.Output("glassjar", "recreate"), "nothing to change")
	assert.Empty(t, drive.Leftovers(t, s.Dir))
}

// A disk that fills up leaves all as it was.
func TestFullDisk(t *testing.T) {
	long.Only(t)
	t.Parallel()
	if os.Getuid() != 0 {
		t.Skip("only root can mount a small file system")
	}
	small := drive.RealPath(t, t.TempDir())
	if err := syscall.Mount("tmpfs", small, "tmpfs", 0, "size=3m"); err != nil {
		t.Skipf("no small file system here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(small, 0) })

	// The project's disk.
	s := drive.NewTerminal(t, small)
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	s.Output("glassjar", "install", "brixmeter")
	label := s.Output("glassjar", "label")
	spec, err := os.ReadFile(filepath.Join(small, "pyproject.toml"))
	require.NoError(t, err)
	out, err := s.Try("glassjar", "install", "windfall-atlas")
	require.Error(t, err)
	assert.Contains(t, out, "no space left on device")
	assert.Equal(t, label, s.Output("glassjar", "label"))
	again, err := os.ReadFile(filepath.Join(small, "pyproject.toml"))
	require.NoError(t, err)
	assert.Equal(t, string(spec), string(again))
	assert.Empty(t, drive.Leftovers(t, small))

	// A clone, and a sealed jar, of what has no room there.
	far := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	far.Output("glassjar", "create", "--python", drive.Default.Path)
	far.Output("glassjar", "install", "windfall-atlas")
	s.Output("glassjar", "trust", filepath.Join(far.Dir, ".jar"))
	for _, args := range [][]string{{"clone", filepath.Join(far.Dir, ".jar"), "./copy"}, {"--jar", filepath.Join(far.Dir, ".jar"), "seal", "far.zip"}, {"clone", filepath.Join(far.Dir, "pylock.toml"), "./copy"}} {
		out, err := s.Try("glassjar", args...)
		require.Error(t, err, args)
		assert.Contains(t, out, "no space left on device", args)
		assert.NoDirExists(t, filepath.Join(small, "copy"))
		assert.Empty(t, drive.Leftovers(t, small), args)
	}
	s.Output("glassjar", "check")

	// A disk that may not be written to.
	require.NoError(t, syscall.Mount("", small, "", syscall.MS_REMOUNT|syscall.MS_RDONLY, ""))
	for _, args := range [][]string{{"create", "--at", "other"}, {"install", "must-core"}, {"discard", ".jar"}, {"upgrade", "--pre-releases"}, {"rewind", "1"}, {"clone", ".jar", "./copy"}} {
		out, err := s.Try("glassjar", args...)
		require.Error(t, err)
		assert.Contains(t, out, "read-only file system")
	}
	assert.Contains(t, s.Output("glassjar", "contents"), "brixmeter")
	assert.Contains(t, s.Output("glassjar", "recreate"), "nothing to change")
	require.NoError(t, syscall.Mount("", small, "", syscall.MS_REMOUNT, "size=3m"))
	s.Output("glassjar", "discard", ".jar")

	// The store's disk.
	top := drive.RealPath(t, t.TempDir())
	s = drive.NewTerminal(t, top)
	s.Env = append(s.Env, "GLASSJAR_HOME="+filepath.Join(small, "home"))
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	out, err = s.Try("glassjar", "install", "windfall-atlas")
	require.Error(t, err)
	assert.Contains(t, out, "no space left on device")
	assert.Empty(t, drive.Leftovers(t, small))
	assert.Contains(t, s.Output("glassjar", "contents"), "nothing yet")
}

// The same bytes come of it whatever the machine's language, time zone and
// mask.
func TestWhateverTheMachine(t *testing.T) {
	var labels, records []string
	for n, env := range [][]string{{"LC_ALL=C", "TZ=UTC"}, {"LC_ALL=tr_TR.UTF-8", "LANG=tr_TR.UTF-8", "TZ=Asia/Kathmandu"}} {
		top := drive.RealPath(t, t.TempDir())
		s := drive.NewTerminal(t, top)
		s.Env = append(s.Env, env...)
		require.NoError(t, os.WriteFile(filepath.Join(top, "pyproject.toml"), []byte("[project]\nname = \"orchard\"\nversion = \"1\"\ndependencies = [\"press-schedule\", \"cellar-labels\"]\n"), 0o644))
		mask := []string{"022", "077"}[n]
		s.Output("sh", "-c", "umask "+mask+" && '"+filepath.Join(drive.Built, "glassjar")+"' create --python '"+drive.Default.Path+"' && '"+filepath.Join(drive.Built, "glassjar")+"' install press-schedule")
		labels = append(labels, s.Output("glassjar", "label"))
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
