package shell_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/shell"
	_ "glassjar/internal/long"
)

// A quoted text is one word of the shell, whatever is in it.
func TestQuoting(t *testing.T) {
	for _, text := range []string{"plain", "two words", `it's`, `a"b`, `back\slash`, "$HOME `id` $(id)", "*", "näme\ttab"} {
		for _, sh := range []string{"sh", "bash", "zsh", "fish"} {
			path, err := exec.LookPath(sh)
			if err != nil {
				t.Logf("%s is not installed", sh)
				continue
			}
			out, err := exec.Command(path, "-c", "printf %s "+shell.Quote(sh, text)).Output()
			require.NoError(t, err, sh)
			assert.Equal(t, text, string(out), sh)
		}
	}
	assert.Equal(t, `'it''s'`, shell.Quote("powershell", "it's"))
	assert.Equal(t, "'\u2018\u2018\u2019\u2019\u201a\u201a\u201b\u201b'", shell.Quote("powershell", "\u2018\u2019\u201a\u201b"))
}

// Every text for a start file is one that its shell reads.
func TestSetupIsRead(t *testing.T) {
	for _, sh := range shell.Shells {
		for _, onCD := range []bool{false, true} {
			text, err := shell.Setup(sh, onCD)
			require.NoError(t, err)
			assert.Contains(t, text, "glassjar")
			path, err := exec.LookPath(sh)
			if err != nil {
				t.Logf("%s is not installed", sh)
				continue
			}
			out, err := exec.Command(path, "-n", "-c", text).CombinedOutput()
			assert.NoError(t, err, "%s: %s", sh, out)
		}
	}
	_, err := shell.Setup("wish", false)
	var unknown *shell.UnknownError
	require.ErrorAs(t, err, &unknown)
	text, err := shell.Setup("pwsh", true)
	require.NoError(t, err)
	assert.Contains(t, text, "Invoke-Expression")
}

func TestStart(t *testing.T) {
	dir := t.TempDir()
	for program, args := range map[string]int{"/bin/bash": 3, "zsh": 1, "/usr/bin/fish": 3, "dash": 1, "pwsh": 3, "cmd.exe": 0, "tcsh": 0, "oddshell": 0} {
		s, err := shell.Start(program, "/orchard/.jar/bin/activate", dir)
		require.NoError(t, err, program)
		assert.Len(t, s.Args, args, program)
		assert.Contains(t, s.Env, "GLASSJAR_ENTER=/orchard/.jar/bin/activate", program)
	}
	file := filepath.Join(dir, "bash", "bashrc")
	before, err := os.Stat(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "zsh", ".zshrc"), []byte("spoiled"), 0o644))
	for _, program := range []string{"bash", "zsh"} {
		_, err := shell.Start(program, "x", dir)
		require.NoError(t, err)
	}
	after, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, before.ModTime(), after.ModTime(), "what is right is left alone")
	mended, err := os.ReadFile(filepath.Join(dir, "zsh", ".zshrc"))
	require.NoError(t, err)
	assert.Contains(t, string(mended), "GLASSJAR_ENTER")
}
