package source

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"os/exec"
	"time"
)

// How closed a room is.
const (
	// Closed is no network, no home folder, and nothing writable but the build's own.
	Closed = "closed"
	// NoNetworkOnly is what it says: the system could not close the rest.
	NoNetworkOnly = "no network only"
	// Open is a cleaned environment and nothing else.
	Open = "open"
)

// means is how a room is closed.
type means string

const (
	// byNamespaces gives the build a root, a network and processes of its own.
	byNamespaces means = "namespaces"
	// byRules has the kernel refuse files (Landlock) and sockets, where namespaces are
	// not to be had.
	byRules means = "rules"
	// byFilter refuses sockets only.
	byFilter  means = "filter"
	byNothing means = ""
)

// level is what they come to.
func (m means) level() string {
	switch m {
	case byNamespaces, byRules:
		return Closed
	case byFilter:
		return NoNetworkOnly
	}
	return Open
}

// Inside is where a build's own folder stands in a closed room: the same path on every
// machine, since paths get into what compilers write.
const Inside = "/glassjar-build"

// room is a place in which a program of a stranger runs.
type room struct {
	// Own is the folder that it may write to; in a closed room it stands at Inside.
	Own string
	// InPlace, if not empty, is one that it may write to where it stands.
	InPlace string
	// Read are files and folders that it sees where they stand, whatever hides the
	// folders above them; Hide are folders that it does not see.
	Read, Hide []string
	// Arguments, Environment and Folder are the program's; of paths below Own there is
	// [room.path].
	Arguments, Environment []string
	Folder                 string
	Means                  means
}

// path is where a file below Own stands in the room.
func (r *room) path(host string) string {
	if r.Means == byNamespaces {
		if rel, ok := below(r.Own, host); ok {
			return Inside + rel
		}
	}
	return host
}

// errTime says that a program took longer than it may.
var errTime = errors.New("it took longer than it may")

// run runs the program, and everything that it left is gone when this returns.
func (r *room) run(ctx context.Context, limit time.Duration, out io.Writer) error {
	if limit > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeoutCause(ctx, limit, errTime)
		defer cancel()
	}
	cmd, done, err := r.command(ctx)
	if err != nil {
		return err
	}
	defer done()
	cmd.Stdout, cmd.Stderr = out, out
	cmd.WaitDelay = 2 * time.Second
	err = cmd.Run()
	if errors.Is(err, exec.ErrWaitDelay) {
		err = nil // something held the output open, and is gone now
	}
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	return err
}

// plainCommand is the program with a cleaned environment and nothing else.
func (r *room) plainCommand(ctx context.Context) *exec.Cmd {
	cmd := exec.CommandContext(ctx, r.Arguments[0], r.Arguments[1:]...)
	cmd.Dir, cmd.Env = r.Folder, r.Environment
	return cmd
}

// order is what the program that closes the room is told, as JSON on its standard input.
func (r *room) order() ([]byte, error) { return json.Marshal(r) }

// below is the rest of a path that stands below a folder, beginning with '/', or empty for
// the folder itself.
func below(folder, path string) (rest string, ok bool) {
	if path == folder {
		return "", true
	}
	if len(path) > len(folder) && path[:len(folder)] == folder && os.IsPathSeparator(path[len(folder)]) {
		return path[len(folder):], true
	}
	return "", false
}

// BestRoom is how closed a build's room can be here; open tells that it is let out.
func BestRoom(open bool) string {
	if open {
		return Open
	}
	return bestMeans().level()
}
