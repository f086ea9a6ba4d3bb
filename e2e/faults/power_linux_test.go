//go:build linux

package faults

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

	"glassjar/e2e/drive"
	"glassjar/internal/long"
	"glassjar/internal/wait"
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
	long.Only(t)
	if os.Getuid() != 0 {
		t.Skip("only root can mount a file system")
	}
	for _, kind := range []string{"ext4", "xfs", "btrfs"} {
		if _, err := exec.LookPath("mkfs." + kind); err != nil {
			t.Logf("no mkfs.%s here", kind)
			continue
		}
		for _, c := range diskCases {
			if kind != "ext4" && c.name != "install" && long.Part() {
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
	d := newDisk(t, g.top, kind)
	d.host.Output("sh", "-c", "cp -a pristine/. work/")
	g.Trusts()
	before := g.state()
	d.host.Output("sync")
	start := time.Now()
	g.Output("glassjar", c.words()...)
	took := time.Since(start)
	after := g.state()
	require.NotEqual(t, before, after)
	d.host.Output("sh", "-c", "find work -mindepth 1 -maxdepth 1 ! -name lost+found -exec rm -rf {} + && cp -a pristine/. work/")
	g.Trusts()
	d.host.Output("sync")

	cmd := exec.Command(filepath.Join(drive.Built, "glassjar"), c.words()...)
	cmd.Dir, cmd.Env = g.Dir, g.Env
	require.NoError(t, cmd.Start())
	var copies []string
	for n := range c.copies {
		time.Sleep(took / time.Duration(c.copies+1))
		copies = append(copies, d.copyDuring(cmd, fmt.Sprintf("during%d", n))...)
	}
	require.NoError(t, cmd.Wait())
	copies = append(copies, d.copyDuring(cmd, "done")...)
	d.unmount(d.image)
	seen := map[string]int{}
	for _, copied := range copies {
		err := d.mount(copied)
		if err != nil && kind == "btrfs" {
			t.Logf("%s: the system cannot replay its own log: %v", filepath.Base(copied), err)
			seen["lost by btrfs"]++
			require.NoError(t, os.Remove(copied))
			continue
		}
		require.NoError(t, err, copied)
		g.Settle(".jar")
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
		var out string
		out, err = g.Try("glassjar", "--jar", ".jar", "check")
		if err != nil {
			assert.Regexp(t, "there is no jar|the spec has changed", out, what)
		}
		g.Output("glassjar", "store", "verify")
		d.unmount(copied)
		require.NoError(t, os.Remove(copied))
	}
	t.Log(seen)
	// Some kernels find their own log of a renamed folder corrupt when it is replayed ("invalid nlink"):
	// seen once in some six hundred copies, and no program can prevent it.
	assert.LessOrEqual(t, seen["lost by btrfs"], 1)
	assert.NotZero(t, seen["before"]+seen["after"])
}

// disk is a file system in a file, mounted on the folder "work" beside it.
type disk struct {
	t         *testing.T
	host      *drive.Terminal
	image, at string
	mounted   bool
}

// newDisk makes one, empty, and skips the test where none can be mounted.
func newDisk(t *testing.T, top, kind string) *disk {
	d := &disk{t: t, host: &drive.Terminal{T: t, Dir: top, Env: os.Environ()}, image: filepath.Join(top, "image"), at: filepath.Join(top, "work")}
	d.host.Output("truncate", "-s", "320M", d.image)
	d.host.Output("mkfs."+kind, d.image)
	d.host.Output("sh", "-c", "rm -rf work && mkdir work")
	if err := d.mount(d.image); err != nil {
		t.Skipf("no loop device here: %v", err)
	}
	t.Cleanup(func() {
		if d.mounted {
			_ = exec.Command("umount", "-l", d.at).Run() // the test has failed already
		}
	})
	return d
}

func (d *disk) mount(image string) error {
	if out, err := exec.Command("mount", "-o", "loop", image, d.at).CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w", out, err)
	}
	d.mounted = true
	return nil
}

// unmount waits until the image is mounted nowhere. A test beside this one that made a view of the
// mounts of its own, while this was mounted, holds it there until it ends, and a copy has the same
// identity: XFS would refuse it, btrfs could show the other.
func (d *disk) unmount(image string) {
	d.host.Output("umount", d.at)
	d.mounted = false
	wait.For(d.t, func() bool { return d.host.Output("losetup", "--associated", image) == "" }, "%s is still mounted somewhere", image)
}

// copyDuring copies the image while a command is at work; none where it could not be had. A copy takes
// time: the command stands still meanwhile, and one during which the disk was written to is of no
// moment that there ever was, and is made again.
func (d *disk) copyDuring(cmd *exec.Cmd, name string) []string {
	to := filepath.Join(filepath.Dir(d.image), name)
	_ = cmd.Process.Signal(syscall.SIGSTOP) // it may have ended
	defer func() { _ = cmd.Process.Signal(syscall.SIGCONT) }()
	for range 30 {
		d.host.Output("cp", "--sparse=always", d.image, to)
		if _, err := d.host.Try("cmp", "-s", d.image, to); err == nil {
			return []string{to}
		}
	}
	require.NoError(d.t, os.Remove(to))
	return nil
}
