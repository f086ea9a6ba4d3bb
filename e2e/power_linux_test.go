//go:build linux

package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// diskCase is a command on a disk of its own, copied at many moments as a power cut
// would leave it.
type diskCase struct {
	campaign
	copies int
}

var diskCases = []diskCase{
	{campaigns[2], 8}, // install
	{campaigns[4], 8}, // upgrade
	{campaigns[6], 6}, // recreate
	{campaigns[9], 4}, // discard
}

// After "done" a power cut at any later moment leaves the new state, and during a
// command the old or the new one: jar, spec, record and store. What is on the disk at
// a moment is what a copy of its image has; mounting that replays the file system's
// own journal, as after a cut.
func TestPowerCut(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("only root can mount a file system")
	}
	for _, kind := range []string{"ext4", "xfs", "btrfs"} {
		if _, err := exec.LookPath("mkfs." + kind); err != nil {
			t.Logf("no mkfs.%s here", kind)
			continue
		}
		for _, c := range diskCases {
			if kind != "ext4" && c.name != "install" && !*long {
				continue
			}
			t.Run(kind+" "+c.name, func(t *testing.T) {
				t.Parallel()
				c.cut(t, kind)
			})
		}
	}
}

func (c diskCase) cut(t *testing.T, kind string) {
	g := newGround(t, c.campaign)
	image, at := filepath.Join(g.top, "image"), filepath.Join(g.top, "work")
	host := &terminal{t: t, dir: g.top, env: os.Environ()}
	host.output("truncate", "-s", "320M", image)
	host.output("mkfs."+kind, image)
	mount := func(image string) error {
		out, err := exec.Command("mount", "-o", "loop", image, at).CombinedOutput()
		if err != nil {
			return fmt.Errorf("%s: %w", out, err)
		}
		return nil
	}
	// A test beside this one that made a view of the mounts of its own, while this was
	// mounted, holds it there until it ends, and a copy has the same identity: XFS would
	// refuse it, btrfs could show the other.
	unmount := func(image string) {
		host.output("umount", at)
		require.Eventually(t, func() bool {
			return host.output("losetup", "--associated", image) == ""
		}, 2*time.Minute, 20*time.Millisecond, "%s is still mounted somewhere", image)
	}
	host.output("sh", "-c", "rm -rf work && mkdir work")
	if err := mount(image); err != nil {
		t.Skipf("no loop device here: %v", err)
	}
	mounted := true
	t.Cleanup(func() {
		if mounted {
			_ = exec.Command("umount", "-l", at).Run() // the test has failed already
		}
	})
	host.output("sh", "-c", "cp -a pristine/. work/")
	g.trusts()
	before := g.state()
	host.output("sync")
	start := time.Now()
	g.output("glassjar", c.words()...)
	took := time.Since(start)
	after := g.state()
	require.NotEqual(t, before, after)
	host.output("sh", "-c", "find work -mindepth 1 -maxdepth 1 ! -name lost+found -exec rm -rf {} + && cp -a pristine/. work/")
	g.trusts()
	host.output("sync")

	cmd := exec.Command(filepath.Join(built, "glassjar"), c.words()...)
	cmd.Dir, cmd.Env = g.dir, g.env
	require.NoError(t, cmd.Start())
	var copies []string
	// A copy takes time: the command stands still meanwhile, and one during which the
	// disk was written to is of no moment that there ever was, and is made again.
	snap := func(name string) {
		to := filepath.Join(g.top, name)
		_ = cmd.Process.Signal(syscall.SIGSTOP) // it may have ended
		defer func() { _ = cmd.Process.Signal(syscall.SIGCONT) }()
		for range 30 {
			host.output("cp", "--sparse=always", image, to)
			if _, err := host.try("cmp", "-s", image, to); err == nil {
				copies = append(copies, to)
				return
			}
		}
		require.NoError(t, os.Remove(to))
	}
	for n := range c.copies {
		time.Sleep(took / time.Duration(c.copies+1))
		snap(fmt.Sprintf("during%d", n))
	}
	require.NoError(t, cmd.Wait())
	snap("done")
	unmount(image)
	mounted = false
	seen := map[string]int{}
	for _, copied := range copies {
		require.NoError(t, mount(copied), copied)
		mounted = true
		g.settle(".jar")
		state := g.state()
		what := filepath.Base(copied)
		switch {
		case state == after:
			seen["after"]++
		case state == before && what != "done":
			seen["before"]++
		default:
			t.Errorf("%s: neither before nor after\n%s\n--- before\n%s\n--- after\n%s", what, state, before, after)
		}
		out, err := g.try("glassjar", "--jar", ".jar", "check")
		if err != nil {
			assert.Regexp(t, "there is no jar|the spec has changed", out, what)
		}
		g.output("glassjar", "store", "verify")
		unmount(copied)
		mounted = false
		require.NoError(t, os.Remove(copied))
	}
	t.Log(seen)
}
