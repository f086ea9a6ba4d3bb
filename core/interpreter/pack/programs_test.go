package pack

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// A program finds its library from where it stands, whatever path it had, and is else the same.
func TestLookIn(t *testing.T) {
	if _, err := exec.LookPath("gcc"); err != nil || runtime.GOOS != "linux" {
		t.Skip("there is no compiler of ELF programs here")
	}
	dir := t.TempDir()
	for name, text := range map[string]string{"press.c": "int litres(void) { return 42; }", "main.c": "int litres(void); int main(void) { return litres(); }"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	run := func(args ...string) string {
		cmd := exec.Command(args[0], args[1:]...)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%v: %s", args, out)
		return string(out)
	}
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "lib"), 0o755))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "bin"), 0o755))
	run("gcc", "-shared", "-fPIC", "press.c", "-o", "lib/libpress.so")
	for _, c := range []struct{ path, kind string }{{"/opt/a/rather/long/path", "in place"}, {"/o", "too short"}, {"", "none"}} {
		for _, position := range []string{"-pie", "-no-pie"} {
			args := []string{"gcc", position, "main.c", "-Llib", "-lpress", "-o", "plain"}
			if c.path != "" {
				args = append(args, "-Wl,-rpath,"+c.path, "-Wl,--enable-new-dtags")
			}
			run(args...)
			data, err := os.ReadFile(filepath.Join(dir, "plain"))
			require.NoError(t, err)
			p, ok, err := readProgram(data)
			require.NoError(t, err)
			require.True(t, ok)
			assert.Equal(t, c.path, p.path)
			assert.Contains(t, p.needs, "libpress.so")
			for _, inherited := range []bool{false, true} {
				moved, err := p.lookIn(data, "$ORIGIN/../lib", inherited)
				require.NoError(t, err, "%s %s", c.kind, position)
				require.NoError(t, os.WriteFile(filepath.Join(dir, "bin", "moved"), moved, 0o755))
				again, _, err := readProgram(moved)
				require.NoError(t, err)
				assert.Equal(t, "$ORIGIN/../lib", again.path)
				assert.Equal(t, p.needs, again.needs)
				var exit *exec.ExitError
				require.ErrorAs(t, exec.Command(filepath.Join(dir, "bin", "moved")).Run(), &exit)
				assert.Equal(t, 42, exit.ExitCode(), "%s %s", c.kind, position)
				require.NoError(t, os.Remove(filepath.Join(dir, "bin", "moved")))
			}
		}
	}
	_, ok, err := readProgram([]byte(strings.Repeat("no program", 100)))
	assert.NoError(t, err)
	assert.False(t, ok)
}
