package jar_test

import (
	"bytes"
	"debug/pe"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"glassjar/core/jar"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The launchers that the program has are what their source makes, byte for byte.
func TestLaunchersAreBuiltFromTheirSource(t *testing.T) {
	said, err := os.ReadFile("launcher/built-by")
	require.NoError(t, err)
	for _, tool := range []string{"clang", "llvm-dlltool", "lld-link"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Skipf("there is no %s here, which builds them", tool)
		}
	}
	here, err := exec.Command("clang", "--version").Output()
	require.NoError(t, err)
	if first, _, _ := strings.Cut(string(here), "\n"); first != strings.TrimSpace(string(said)) {
		t.Skipf("they were built by %s, and this is %s", strings.TrimSpace(string(said)), first)
	}
	to := t.TempDir()
	out, err := exec.Command("go", "run", "launcher/make.go", to).CombinedOutput()
	require.NoError(t, err, string(out))
	for _, file := range launchers(t) {
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join(to, filepath.Base(file)))
		require.NoError(t, err)
		assert.True(t, string(want) == string(got), "%s: go generate ./core/jar", file)
	}
}

// The launcher without a console is the same program, but for what its header says of that; either
// needs nothing but the system's own library, and 40 of them take a part of a megabyte.
func TestLaunchers(t *testing.T) {
	for _, file := range launchers(t) {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Less(t, len(data), 16<<10, file)
		for _, c := range []struct {
			data []byte
			want uint16
		}{{data, pe.IMAGE_SUBSYSTEM_WINDOWS_CUI}, {jar.WithoutConsole(data), pe.IMAGE_SUBSYSTEM_WINDOWS_GUI}} {
			f, err := pe.NewFile(bytes.NewReader(c.data))
			require.NoError(t, err)
			assert.Equal(t, c.want, f.OptionalHeader.(*pe.OptionalHeader64).Subsystem, file)
			symbols, err := f.ImportedSymbols()
			require.NoError(t, err)
			require.NotEmpty(t, symbols, file)
			for _, symbol := range symbols {
				assert.True(t, strings.HasSuffix(symbol, ":kernel32.dll"), symbol)
			}
		}
	}
}

func launchers(t *testing.T) []string {
	files, err := filepath.Glob("launcher/*.exe")
	require.NoError(t, err)
	require.Len(t, files, 2)
	return files
}
