package interpreter

import (
	"bytes"
	"context"
	"debug/elf"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"glassjar/core/internal/patience"
	"glassjar/core/internal/retry"
	"glassjar/core/version"
)

//go:embed probe.py
var probe string

// probeTimeout is how long a program may take to say what it is: of processor time, or in which it
// waits.
const probeTimeout = 10 * time.Second

// Rejection says why a candidate is passed over.
type Rejection struct {
	Path string `json:"path"`
	Why  string `json:"why"`
	// Passing tells that it could not be asked for a reason that lies with the
	// machine and may pass: it may be a fine interpreter.
	Passing bool `json:"passing,omitempty"`
}

func (r Rejection) Error() string { return r.Path + ": " + r.Why }

// tries is how often a program is asked that could not be asked for a reason that may
// pass, and tryPause how long is waited in between at first.
const (
	tries    = 3
	tryPause = 50 * time.Millisecond
)

// Probe starts a program and asks what it is. The error is a [Rejection].
func Probe(ctx context.Context, path string, timeout time.Duration) (in Interpreter, err error) {
	passing := func(err error) bool {
		r, ok := err.(Rejection)
		return ok && r.Passing
	}
	var last error
	err = retry.Do(ctx, tries, tryPause, passing, func() error {
		in, last = probeOnce(ctx, path, timeout)
		return last
	})
	if err != nil {
		err = last // that of the program, also where the waiting was ended
	}
	return in, err
}

// passing reports whether that a program did not run to its end is the machine's
// doing: it lacked memory, processes, handles or room, could not read, or somebody killed the program.
func passing(err error) bool {
	for _, e := range []error{syscall.EAGAIN, syscall.ENOMEM, syscall.EMFILE, syscall.ENFILE, syscall.EINTR, syscall.EIO, syscall.ENOSPC} {
		if errors.Is(err, e) {
			return true
		}
	}
	var exit *exec.ExitError
	return errors.As(err, &exit) && killed(exit.ProcessState)
}

// short reports whether a program says that the machine is short of something.
func short(complaint string) bool {
	for _, e := range []error{syscall.EAGAIN, syscall.ENOMEM, syscall.EMFILE, syscall.ENFILE, syscall.EIO, syscall.ENOSPC} {
		if strings.Contains(strings.ToLower(complaint), strings.ToLower(e.Error())) {
			return true
		}
	}
	return false
}

func probeOnce(ctx context.Context, path string, timeout time.Duration) (Interpreter, error) {
	reject := func(format string, args ...any) (Interpreter, error) {
		return Interpreter{}, Rejection{Path: path, Why: fmt.Sprintf(format, args...)}
	}
	var out, complaint bytes.Buffer
	err := patience.Run(ctx, timeout, func(ctx context.Context) *exec.Cmd {
		cmd := Isolated(ctx, path, probe)
		cmd.Stdin = nil
		cmd.WaitDelay = time.Second
		cmd.Stdout, cmd.Stderr = &out, &complaint
		return cmd
	})
	var late *patience.TimeoutError
	switch {
	case errors.As(err, &late):
		return reject("%v", late)
	case ctx.Err() != nil:
		return reject("it was not waited for")
	case passing(err), err != nil && short(complaint.String()):
		return Interpreter{}, Rejection{Path: path, Why: "it could not be asked: " + err.Error(), Passing: true}
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, exec.ErrNotFound): // the second on Windows
		return reject("it is gone, or what it needs to start is")
	case foreign(err):
		return reject("it is built for another processor or system")
	case err != nil:
		return reject("it fails to start Python%s", remark(complaint.String(), err))
	}
	var in Interpreter
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	if json.Unmarshal([]byte(lines[len(lines)-1]), &in.Said) != nil {
		return reject("it is not a Python, or prints something else")
	}
	if _, err := version.Parse(in.Said.Version); err != nil || in.Said.Executable == "" {
		return reject("it does not say which Python it is")
	}
	in.Path = linkTarget(path, in.Said)
	in.libc()
	return in, nil
}

// remark is the first line that a failing program wrote, if any.
func remark(text string, err error) string {
	first, _, _ := strings.Cut(strings.TrimSpace(text), "\n")
	if first = strings.TrimSpace(first); first != "" {
		return ": " + first
	}
	return ": " + err.Error()
}

// linkTarget is the program to link jars to. A stand-in, and a link elsewhere,
// name the real one: the program in the base's own bin folder, which keeps its
// name when the base is upgraded. In an environment it is the base's.
func linkTarget(path string, said Answer) string {
	target := said.Executable
	if said.InEnvironment && said.BaseExecutable != "" {
		target = said.BaseExecutable
	}
	if target == "" {
		target = path
	}
	real, err := filepath.EvalSymlinks(target)
	if err != nil {
		return target
	}
	for _, name := range []string{filepath.Base(real), filepath.Base(target)} {
		own := filepath.Join(said.Prefix, "bin", name)
		if same, err := filepath.EvalSymlinks(own); err == nil && same == real {
			return own
		}
	}
	return target
}

// libc finds the C library, which decides the manylinux and musllinux tags.
func (in *Interpreter) libc() {
	if in.Said.SysPlatform != "linux" {
		return
	}
	if name, v, ok := strings.Cut(in.Said.Glibc, " "); ok && name == "glibc" {
		if n, _ := fmt.Sscanf(v, "%d.%d", &in.LibcMajor, &in.LibcMinor); n == 2 {
			in.Libc = "glibc"
		}
		return
	}
	loader := elfLoader(in.Path)
	if !strings.Contains(filepath.Base(loader), "musl") {
		return
	}
	if major, minor, ok := muslVersion(loader); ok {
		in.Libc, in.LibcMajor, in.LibcMinor = "musl", major, minor
	}
}

// muslVersion is that of musl's loader: called by itself, it tells its version and fails.
func muslVersion(loader string) (major, minor int, ok bool) {
	out, _ := exec.Command(loader).CombinedOutput()
	for line := range strings.Lines(string(out)) {
		if n, _ := fmt.Sscanf(line, "Version %d.%d", &major, &minor); n == 2 {
			return major, minor, true
		}
	}
	return 0, 0, false
}

// elfLoader is the program interpreter that an ELF file names, or empty.
func elfLoader(path string) string {
	f, err := elf.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	for _, p := range f.Progs {
		if p.Type == elf.PT_INTERP {
			name, err := io.ReadAll(io.LimitReader(p.Open(), 4096))
			if err == nil {
				return strings.TrimRight(string(name), "\x00")
			}
		}
	}
	return ""
}
