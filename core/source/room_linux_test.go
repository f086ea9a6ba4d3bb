package source

import (
	"bytes"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whichever means closes it: nothing of the network, of the home folder or of sockets is
// reached from a room, nothing is written but what is the build's own, and what is left
// running is gone.
func TestRooms(t *testing.T) {
	home, outside := t.TempDir(), t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(home, "secret"), []byte("quince"), 0o644))
	kept := filepath.Join(home, "sapflow")
	require.NoError(t, os.Mkdir(kept, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(kept, "sapflow.h"), []byte("x"), 0o644))
	socket, err := net.Listen("unix", filepath.Join(outside, "s"))
	require.NoError(t, err)
	defer socket.Close()
	udp, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer udp.Close()
	python := builder(t).Python
	script := `
import os, socket, subprocess, sys
def tries(what, do):
    try: do(); print(what, "yes")
    except OSError as e: print(what, "no")
def udp():
    s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM); s.sendto(b"x", ("127.0.0.1", PORT))
def unix():
    s = socket.socket(socket.AF_UNIX); s.connect("SOCKET")
tries("udp", udp)
tries("unix", unix)
tries("tcp", lambda: socket.create_connection(("127.0.0.1", PORT), 1))
tries("home", lambda: open("HOME/secret").read())
tries("named", lambda: open("HOME/sapflow/sapflow.h").read())
tries("write named", lambda: open("HOME/sapflow/x", "w"))
tries("write outside", lambda: open("OUTSIDE/x", "w"))
tries("write etc", lambda: open("/etc/glassjar-x", "w"))
tries("write own", lambda: open("x", "w"))
tries("write temp", lambda: open(os.environ["TMPDIR"] + "/x", "w"))
tries("pair", lambda: socket.socketpair())
tries("remount", lambda: subprocess.check_call(["mount", "-o", "remount,rw", "/usr"], stderr=subprocess.DEVNULL) if os.path.exists("/bin/mount") else 1/0)
subprocess.Popen([sys.executable, "-c", "import os, time; os.setsid(); time.sleep(300)", "left-MARK"], stdout=subprocess.DEVNULL)
`
	for _, m := range []means{byNamespaces, byRules, byFilter} {
		if !tryMeans(m) {
			t.Logf("a room cannot be closed by %s here", m)
			continue
		}
		own, err := filepath.EvalSymlinks(t.TempDir())
		require.NoError(t, err)
		require.NoError(t, os.Mkdir(filepath.Join(own, "tmp"), 0o755))
		mark := strings.ReplaceAll(string(m)+filepath.Base(own), "/", "")
		text := strings.NewReplacer("PORT", strings.TrimPrefix(udp.LocalAddr().String(), "127.0.0.1:"), "SOCKET", filepath.Join(outside, "s"), "HOME", home, "OUTSIDE", outside, "MARK", mark).Replace(script)
		r := &room{Own: own, Means: m, Read: []string{kept, python.Said.Prefix, filepath.Dir(python.Path)}, Hide: []string{home}}
		r.Folder = r.path(own)
		r.Environment = []string{"PATH=/usr/bin:/bin", "TMPDIR=" + r.path(filepath.Join(own, "tmp"))}
		r.Arguments = []string{python.Path, "-c", text}
		var out bytes.Buffer
		err = r.run(ctx, time.Minute, &out)
		said := map[string]string{}
		for _, line := range strings.Split(out.String(), "\n") {
			if i := strings.LastIndexByte(line, ' '); i > 0 {
				said[line[:i]] = line[i+1:]
			}
		}
		if m == byNamespaces {
			assert.NotContains(t, out.String(), "remount yes")
			require.Contains(t, out.String(), "CalledProcessError", "%s", m) // the last try ends it
		} else {
			delete(said, "remount")
		}
		for _, what := range []string{"udp", "unix", "tcp"} {
			assert.Equal(t, "no", said[what], "%s: %s\n%s", m, what, out.String())
		}
		for what, want := range map[string]string{"home": "no", "named": "yes", "write named": "no", "write outside": "no", "write etc": "no"} {
			if m != byFilter {
				assert.Equal(t, want, said[what], "%s: %s\n%s", m, what, out.String())
			}
		}
		for _, what := range []string{"write own", "write temp", "pair"} {
			assert.Equal(t, "yes", said[what], "%s: %s\n%s", m, what, out.String())
		}
		if m == byFilter {
			_ = os.Remove("/etc/glassjar-x") // root may write there
		}
		assert.NoFileExists(t, "/etc/glassjar-x")
		left, _ := exec.Command("pgrep", "-f", "left-"+mark).Output()
		assert.Empty(t, string(left), "%s", m)
		_ = err
	}
}
