package jar_test

import (
	"bytes"
	"debug/pe"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"glassjar/core/jar"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/ulikunitz/xz"
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
	require.Len(t, files, 2)
	for _, file := range files {
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join(to, filepath.Base(file)))
		require.NoError(t, err)
		assert.True(t, string(want) == string(got), "%s: go generate ./core/jar", file)
	}
}

// The launcher without a console is the same program, but for what its header says of that.
func TestWithoutConsole(t *testing.T) {
	files, err := filepath.Glob("launcher/*.xz")
	require.NoError(t, err)
	for _, file := range files {
		packed, err := os.ReadFile(file)
		require.NoError(t, err)
		z, err := xz.NewReader(bytes.NewReader(packed))
		require.NoError(t, err)
		data, err := io.ReadAll(z)
		require.NoError(t, err)
		for _, c := range []struct {
			data []byte
			want uint16
		}{{data, pe.IMAGE_SUBSYSTEM_WINDOWS_CUI}, {jar.WithoutConsole(data), pe.IMAGE_SUBSYSTEM_WINDOWS_GUI}} {
			f, err := pe.NewFile(bytes.NewReader(c.data))
			require.NoError(t, err)
			assert.Equal(t, c.want, f.OptionalHeader.(*pe.OptionalHeader64).Subsystem, file)
		}
	}
}
