package shells

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
)

// frontEnd is a notebook's side of the messaging: it starts the kernel of a name, runs code in it and
// interrupts it.
const frontEnd = `
import sys, threading
from jupyter_client.manager import start_new_kernel
manager, client = start_new_kernel(kernel_name=sys.argv[1], startup_timeout=120)
def run(code):
    def show(m):
        text = m["content"].get("text") or m["content"].get("ename")
        if text:
            print(text.strip())
    client.execute_interactive(code, timeout=60, output_hook=show)
run("import sys, os, brixmeter; print(sys.prefix); print(os.environ['VIRTUAL_ENV'])")
run("!command -v python")
threading.Timer(1, manager.interrupt_kernel).start()
run("import time\ntime.sleep(100)")
client.stop_channels()
manager.shutdown_kernel(now=True)
`

// A real front end and kernel, out of the system's packages: the one starts the other in the jar by
// what connect notebook wrote, interrupts reach it, and it follows the jar.
func TestNotebook(t *testing.T) {
	t.Parallel()
	const python = "/usr/bin/python3"
	if err := exec.Command(python, "-I", "-c", "import ipykernel, jupyter_client").Run(); err != nil {
		t.Skip("the system's Python has no ipykernel and jupyter_client")
	}
	top := drive.RealPath(t, t.TempDir())
	g := drive.NewTerminal(t, filepath.Join(top, "cellar"))
	require.NoError(t, os.Mkdir(g.Dir, 0o755))
	g.Output("glassjar", "create", "--python", python, "--see-system")
	g.Output("glassjar", "install", "-q", "brixmeter")
	assert.NotContains(t, g.Output("glassjar", "connect", "notebook"), "lacks")
	script := filepath.Join(g.Home(), "front.py")
	require.NoError(t, os.WriteFile(script, []byte(frontEnd), 0o644))
	runs := func() {
		jar := filepath.Join(g.Dir, ".jar")
		out := g.Output(python, script, "cellar")
		for _, line := range []string{jar + "\n" + jar + "\n", filepath.Join(jar, "bin/python") + "\n", "KeyboardInterrupt\n"} {
			assert.Contains(t, out, line)
		}
	}
	runs()
	moved := filepath.Join(top, "moved")
	require.NoError(t, os.Rename(g.Dir, moved))
	g.Dir = moved
	g.Output("glassjar", "here")
	runs()
}
