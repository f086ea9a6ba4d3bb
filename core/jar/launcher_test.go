package jar_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The launchers that the program has are what their source makes, byte for byte.
func TestLaunchersAreBuiltFromTheirSource(t *testing.T) {
	said, err := os.ReadFile("launcher/go-version")
	require.NoError(t, err)
	if strings.TrimSpace(string(said)) != runtime.Version() {
		t.Skipf("they were built by %s, and this is %s", strings.TrimSpace(string(said)), runtime.Version())
	}
	to := t.TempDir()
	out, err := exec.Command("go", "run", "launcher/make.go", to).CombinedOutput()
	require.NoError(t, err, string(out))
	files, err := filepath.Glob("launcher/*.xz")
	require.NoError(t, err)
	require.Len(t, files, 4)
	for _, file := range files {
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join(to, filepath.Base(file)))
		require.NoError(t, err)
		assert.True(t, string(want) == string(got), "%s: go generate ./core/jar", file)
	}
}
