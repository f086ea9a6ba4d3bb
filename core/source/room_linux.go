package source

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"
	"syscall"

	"github.com/landlock-lsm/go-landlock/landlock"
	rules "github.com/landlock-lsm/go-landlock/landlock/syscall"
	"golang.org/x/sys/unix"
)

// stageName is the first word of a command line by which this program closes a room and
// runs another in it, instead of being itself.
const stageName = "glassjar-room"

// Main closes a room where this process was started for that, and does not return then.
// A program that builds calls it first.
func Main() {
	if len(os.Args) != 1 || os.Args[0] != stageName {
		return
	}
	code, err := stage()
	if err != nil {
		fmt.Fprintln(os.Stderr, "the room could not be closed:", err)
		code = notClosed
	}
	os.Exit(code)
}

// notClosed is the exit code that says so: no interpreter gives it.
const notClosed = 213

// bestMeans finds out once how a room can be closed here: by trying.
var bestMeans = sync.OnceValue(func() means {
	if os.Args[0] == stageName {
		return byNothing // Main was not called: this process would start itself without end
	}
	for _, m := range []means{byNamespaces, byRules, byFilter} {
		if tryMeans(m) {
			return m
		}
	}
	return byNothing
})

func tryMeans(m means) bool {
	dir, err := os.MkdirTemp("", "glassjar-room-")
	if err != nil {
		return false
	}
	defer os.RemoveAll(dir)
	r := &room{Own: dir, Means: m, Arguments: []string{"/bin/true"}}
	r.Folder = r.path(dir)
	return r.run(context.Background(), 0, io.Discard) == nil
}

// command starts this program again, in namespaces of its own, where it closes the room.
func (r *room) command(ctx context.Context) (*exec.Cmd, func(), error) {
	if r.Means == byNothing {
		cmd := r.plainCommand(ctx)
		return cmd, group(cmd), nil
	}
	order, err := r.order()
	if err != nil {
		return nil, nil, err
	}
	cmd := exec.CommandContext(ctx, "/proc/self/exe")
	cmd.Args, cmd.Env, cmd.Stdin = []string{stageName}, []string{}, bytes.NewReader(order)
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if r.Means == byNamespaces {
		uid, gid := os.Getuid(), os.Getgid()
		cmd.SysProcAttr.Cloneflags = syscall.CLONE_NEWUSER | syscall.CLONE_NEWNS | syscall.CLONE_NEWNET | syscall.CLONE_NEWPID | syscall.CLONE_NEWIPC
		cmd.SysProcAttr.UidMappings = []syscall.SysProcIDMap{{ContainerID: uid, HostID: uid, Size: 1}}
		cmd.SysProcAttr.GidMappings = []syscall.SysProcIDMap{{ContainerID: gid, HostID: gid, Size: 1}}
		if uid != 0 {
			cmd.SysProcAttr.AmbientCaps = []uintptr{unix.CAP_SYS_ADMIN, unix.CAP_SETPCAP}
		}
	}
	done := group(cmd)
	return cmd, done, nil
}

// stage is the first process in a room: it closes it, runs the program, and takes all
// others with it when it ends.
func stage() (int, error) {
	runtime.LockOSThread() // what is given up here is given up by what this thread starts
	data, err := io.ReadAll(os.Stdin)
	if err != nil {
		return 0, err
	}
	r := &room{}
	if err := json.Unmarshal(data, r); err != nil {
		return 0, err
	}
	switch r.Means {
	case byNamespaces:
		err = r.closeFiles()
	case byRules:
		err = r.refuseFiles()
	}
	if err != nil {
		return 0, err
	}
	if err := giveUp(r.Means == byNamespaces); err != nil {
		return 0, err
	}
	return r.wait()
}

// wait runs the program, and reaps what lost its parent meanwhile.
func (r *room) wait() (int, error) {
	null, err := os.Open(os.DevNull)
	if err != nil {
		return 0, err
	}
	pid, err := syscall.ForkExec(r.Arguments[0], r.Arguments, &syscall.ProcAttr{Dir: r.Folder, Env: r.Environment, Files: []uintptr{null.Fd(), 1, 2}})
	if err != nil {
		return 0, err
	}
	for {
		var status syscall.WaitStatus
		got, err := syscall.Wait4(-1, &status, 0, nil)
		switch {
		case err == syscall.EINTR:
		case err != nil:
			return 0, err
		case got != pid:
		case status.Signaled():
			return 128 + int(status.Signal()), nil
		case status.Exited():
			return status.ExitStatus(), nil
		}
	}
}

// refuseFiles has the kernel refuse what is not to be seen or written, where it stands. It
// is as much as namespaces do but for the fixed path and the processes of others.
func (r *room) refuseFiles() error {
	list, _, err := r.bindings()
	if err != nil {
		return err
	}
	read, write := []string{"/proc"}, []string{r.Own}
	for _, b := range list {
		switch {
		case b.from == "" || b.write && b.from != b.to:
			continue // what stands elsewhere in a room of its own
		case b.write:
			write = append(write, b.to)
		default:
			read = append(read, b.from)
		}
	}
	for _, h := range r.Hide {
		top, _, _ := strings.Cut(strings.TrimPrefix(h, "/"), "/")
		if i := slices.Index(read, "/"+top); i >= 0 && !hidden[top] {
			return fmt.Errorf("%s cannot be hidden: rules add up", h)
		}
	}
	// The first version cannot allow a file to be moved between folders.
	if v, err := rules.LandlockGetABIVersion(); err != nil || v < 2 {
		return fmt.Errorf("the kernel has no rules for files (version %d): %v", v, err)
	}
	return landlock.V5.BestEffort().RestrictPaths(landlock.RODirs(existing(read, true)...), landlock.ROFiles(existing(read, false)...),
		landlock.RWDirs(write...).WithRefer(), landlock.RWFiles("/dev/null", "/dev/zero", "/dev/full", "/dev/random", "/dev/urandom").IgnoreIfMissing())
}

// existing are those of the paths that are folders, or that are files.
func existing(paths []string, folders bool) []string {
	var out []string
	for _, p := range paths {
		if info, err := os.Stat(p); err == nil && info.IsDir() == folders {
			out = append(out, p)
		}
	}
	return out
}

// binding is a place of the machine that is seen in the room; without from it is an empty
// folder.
type binding struct {
	from, to string
	write    bool
	// tree is a handle of it.
	tree int
}

// closeFiles puts the room together in a folder of its own memory and makes that the root:
// the system's folders, read-only; what the build may read; its own folder.
func (r *room) closeFiles() error {
	if err := unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, ""); err != nil {
		return fmt.Errorf("making mounts private: %w", err)
	}
	// A folder of the machine serves as the place: what is mounted on it is seen here only.
	root := r.Own
	own, err := unix.OpenTree(unix.AT_FDCWD, r.Own, unix.OPEN_TREE_CLONE|unix.AT_RECURSIVE)
	if err != nil {
		return fmt.Errorf("the build's folder: %w", err)
	}
	list, links, err := r.bindings()
	if err != nil {
		return err
	}
	for i, b := range list {
		if b.from == "" {
			continue
		}
		if list[i].tree, err = unix.OpenTree(unix.AT_FDCWD, b.from, unix.OPEN_TREE_CLONE|unix.AT_RECURSIVE); err != nil {
			return fmt.Errorf("%s: %w", b.from, err)
		}
	}
	if err := unix.Mount("tmpfs", root, "tmpfs", unix.MS_NOSUID|unix.MS_NODEV, "mode=755"); err != nil {
		return fmt.Errorf("the room's root: %w", err)
	}
	for _, l := range links {
		if err := os.Symlink(l.from, root+l.to); err != nil {
			return err
		}
	}
	if err := attach(binding{from: r.Own, write: true, tree: own}, root+Inside); err != nil {
		return err
	}
	for _, b := range list {
		if err := attach(b, root+b.to); err != nil {
			return err
		}
	}
	if err := devices(root); err != nil {
		return err
	}
	return enterRoot(root)
}

// attach puts a tree of the machine, or an empty folder, into its place in the room.
func attach(b binding, to string) error {
	if b.from == "" {
		if err := unix.Mount("tmpfs", to, "tmpfs", unix.MS_NOSUID|unix.MS_NODEV, "mode=755,size=1m"); err != nil {
			return fmt.Errorf("%s: %w", b.to, err)
		}
		return nil
	}
	var info unix.Stat_t
	if err := unix.Fstat(b.tree, &info); err != nil {
		return err
	}
	if info.Mode&unix.S_IFMT == unix.S_IFDIR {
		if err := os.MkdirAll(to, 0o755); err != nil {
			return err
		}
	} else {
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if f, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY, 0o644); err == nil {
			f.Close()
		}
	}
	if err := unix.MoveMount(b.tree, "", unix.AT_FDCWD, to, unix.MOVE_MOUNT_F_EMPTY_PATH); err != nil {
		return fmt.Errorf("%s: %w", b.from, err)
	}
	attr := &unix.MountAttr{Attr_set: unix.MOUNT_ATTR_NOSUID}
	if !b.write {
		attr.Attr_set |= unix.MOUNT_ATTR_RDONLY
	}
	if err := unix.MountSetattr(unix.AT_FDCWD, to, unix.AT_RECURSIVE, attr); err != nil {
		return fmt.Errorf("%s: %w", b.from, err)
	}
	return nil
}

// hidden are folders of the root that no build sees: other people's, what changes while it
// runs, and what it has its own of.
var hidden = map[string]bool{"proc": true, "dev": true, "sys": true, "tmp": true, "run": true, "home": true, "root": true, "mnt": true, "media": true, "boot": true, "lost+found": true, strings.TrimPrefix(Inside, "/"): true}

// bindings are what is seen in the room, what stands above first, and the links of the root.
func (r *room) bindings() (list, links []binding, err error) {
	entries, err := os.ReadDir("/")
	if err != nil {
		return nil, nil, err
	}
	for _, e := range entries {
		at := "/" + e.Name()
		switch {
		case e.Type()&os.ModeSymlink != 0:
			if target, err := os.Readlink(at); err == nil {
				links = append(links, binding{from: target, to: at})
			}
		case e.IsDir() && !hidden[e.Name()]:
			list = append(list, binding{from: at, to: at})
		}
	}
	temporary := filepath.Join(r.Own, "tmp")
	if err := os.MkdirAll(temporary, 0o700); err != nil {
		return nil, nil, err
	}
	for _, to := range []string{"/tmp", "/var/tmp"} {
		if exists(to) {
			list = append(list, binding{from: temporary, to: to, write: true})
		}
	}
	var more []binding
	for _, p := range r.Read {
		real, err := filepath.EvalSymlinks(p)
		if err != nil {
			continue // it is not there, which the build will say
		}
		more = append(more, binding{from: real, to: p})
		if real != p {
			more = append(more, binding{from: real, to: real})
		}
	}
	if r.InPlace != "" {
		more = append(more, binding{from: r.InPlace, to: r.InPlace, write: true})
	}
	sort.SliceStable(more, func(i, k int) bool { return len(more[i].to) < len(more[k].to) })
	for _, h := range r.Hide {
		if top, _, _ := strings.Cut(strings.TrimPrefix(h, "/"), "/"); h != "/" && !hidden[top] && exists(h) {
			list = append(list, binding{to: h})
		}
	}
	seen := map[string]bool{}
	for _, b := range more {
		if !seen[b.to] && !strings.HasPrefix(b.to, Inside) && (b.write || !r.seen(b.to)) {
			list = append(list, b)
		}
		seen[b.to] = true
	}
	return list, links, nil
}

// seen reports whether a path is in the room without anybody's doing.
func (r *room) seen(path string) bool {
	top, _, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	if hidden[top] {
		return false
	}
	for _, h := range r.Hide {
		if _, ok := below(h, path); ok {
			return false
		}
	}
	return true
}

// devices are the few that programs count on.
func devices(root string) error {
	if err := os.MkdirAll(root+"/dev", 0o755); err != nil {
		return err
	}
	for _, name := range []string{"null", "zero", "full", "random", "urandom"} {
		at := root + "/dev/" + name
		f, err := os.OpenFile(at, os.O_CREATE|os.O_WRONLY, 0o666)
		if err != nil {
			return err
		}
		f.Close()
		if err := unix.Mount("/dev/"+name, at, "", unix.MS_BIND, ""); err != nil {
			return fmt.Errorf("/dev/%s: %w", name, err)
		}
	}
	for name, to := range map[string]string{"fd": "/proc/self/fd", "stdin": "/proc/self/fd/0", "stdout": "/proc/self/fd/1", "stderr": "/proc/self/fd/2"} {
		if err := os.Symlink(to, root+"/dev/"+name); err != nil {
			return err
		}
	}
	if err := os.MkdirAll(root+"/dev/shm", 0o777); err != nil {
		return err
	}
	if err := unix.Mount("tmpfs", root+"/dev/shm", "tmpfs", unix.MS_NOSUID|unix.MS_NODEV, "mode=1777,size=256m"); err != nil {
		return err
	}
	if err := os.MkdirAll(root+"/proc", 0o555); err != nil {
		return err
	}
	err := unix.Mount("proc", root+"/proc", "proc", unix.MS_NOSUID|unix.MS_NODEV|unix.MS_NOEXEC, "")
	if err != nil { // a container may not have a whole one
		return fmt.Errorf("/proc: %w", err)
	}
	return nil
}

// enterRoot makes a folder the root, and lets go of the one before.
func enterRoot(root string) error {
	if err := os.Chdir(root); err != nil {
		return err
	}
	if err := unix.PivotRoot(".", "."); err != nil {
		return fmt.Errorf("changing the root: %w", err)
	}
	if err := unix.Unmount(".", unix.MNT_DETACH); err != nil {
		return err
	}
	if err := os.Chdir("/"); err != nil {
		return err
	}
	return unix.MountSetattr(unix.AT_FDCWD, "/", 0, &unix.MountAttr{Attr_set: unix.MOUNT_ATTR_RDONLY})
}

// giveUp gives up every right to change the room, and sockets that lead out of it.
func giveUp(namespaces bool) error {
	if namespaces {
		// A program of root gets no rights by being root.
		const bits = 1<<0 | 1<<1 | 1<<2 | 1<<3 | 1<<4 | 1<<5 | 1<<6 | 1<<7 // SECBIT_NOROOT, _NO_SETUID_FIXUP, _KEEP_CAPS and _NO_CAP_AMBIENT_RAISE, locked
		if err := unix.Prctl(unix.PR_CAP_AMBIENT, unix.PR_CAP_AMBIENT_CLEAR_ALL, 0, 0, 0); err != nil && !errors.Is(err, unix.EINVAL) {
			return err
		}
		if err := unix.Prctl(unix.PR_SET_SECUREBITS, bits&^(1<<4), 0, 0, 0); err != nil {
			return fmt.Errorf("giving up rights: %w", err)
		}
		var header unix.CapUserHeader
		header.Version = unix.LINUX_CAPABILITY_VERSION_3
		var none [2]unix.CapUserData
		if err := unix.Capset(&header, &none[0]); err != nil {
			return err
		}
	}
	if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
		return err
	}
	return filterSockets(namespaces)
}
