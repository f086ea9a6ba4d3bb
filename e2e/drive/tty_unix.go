//go:build unix

package drive

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"

	"glassjar/internal/wait"
)

// TTY is a shell or a program in a terminal of its own.
type TTY struct {
	t    *testing.T
	Side *os.File // what a person types into, and reads
	cmd  *exec.Cmd
	mu   sync.Mutex
	said bytes.Buffer
	read int // what was waited for before
	// drained is closed when nothing more comes.
	drained chan struct{}
}

// OpenTTY starts a program in a terminal of 100 columns, with an environment made from
// nothing.
func OpenTTY(t *testing.T, home, dir string, env []string, argv ...string) *TTY {
	if argv[0] == "glassjar" {
		argv[0] = filepath.Join(Built, argv[0])
	}
	cmd := exec.Command(argv[0], argv[1:]...)
	cmd.Dir = dir
	cmd.Env = append([]string{"HOME=" + home, "PATH=" + Built + ":/usr/bin:/bin", "TERM=dumb"}, env...)
	side, err := pty.StartWithSize(cmd, &pty.Winsize{Rows: 40, Cols: 100})
	require.NoError(t, err)
	x := &TTY{t: t, Side: side, cmd: cmd, drained: make(chan struct{})}
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

// Text is all that the terminal has shown.
func (x *TTY) Text() string {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.said.String()
}

// Waits waits until the terminal shows a text that it did not show before.
func (x *TTY) Waits(for_ string) {
	x.t.Helper()
	if !wait.Until(func() bool {
		text := x.Text()
		at := strings.Index(text[x.read:], for_)
		if at >= 0 {
			x.read += at + len(for_)
		}
		return at >= 0
	}) {
		x.t.Fatalf("%q did not come:\n%s", for_, x.Text())
	}
}

// Types types a line.
func (x *TTY) Types(line string) {
	_, err := x.Side.WriteString(line + "\n")
	require.NoError(x.t, err)
}

// drains waits until all that was said is read; it reports false where that does not end.
func (x *TTY) drains() bool {
	return wait.Until(func() bool {
		select {
		case <-x.drained:
			return true
		default:
			return false
		}
	})
}

// Ends waits until the program ends, and returns its exit code.
func (x *TTY) Ends() int {
	err := x.cmd.Wait()
	if !x.drains() {
		x.t.Errorf("%v has ended, and somebody else has its terminal still", x.cmd.Args)
	}
	if err != nil {
		return x.cmd.ProcessState.ExitCode()
	}
	return 0
}
