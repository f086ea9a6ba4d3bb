package git_test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/git"
	_ "glassjar/internal/long"
)

// A stranger's repository is asked without anything of it being run: neither its monitor of
// files, nor the program by which it says that what it lacks is fetched.
func TestNothingIsRun(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil || runtime.GOOS == "windows" {
		t.Skip("there is no git, or no shell")
	}
	top := t.TempDir()
	t.Setenv("HOME", top)
	far, near, sprung := filepath.Join(top, "far"), filepath.Join(top, "near"), filepath.Join(top, "sprung")
	shell := func(dir, script string) {
		cmd := exec.Command("sh", "-ec", script)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	require.NoError(t, os.Mkdir(far, 0o755))
	shell(far, "git init -q -b main . && git config user.name perry && git config user.email perry@orchard.example && git config uploadpack.allowFilter true && echo old >pylock.toml && git add . && git commit -qm one && echo new >pylock.toml && git commit -qam two")
	shell(top, "git clone -q --filter=blob:none file://"+far+" near")
	trap := "touch " + sprung + ";"
	shell(near, "git config core.fsmonitor '"+trap+"' && git config remote.origin.uploadpack '"+trap+" git-upload-pack' && git config protocol.file.allow always && mkdir -p .git/hooks && printf '#!/bin/sh\\n"+trap+"' >.git/hooks/post-checkout && chmod 755 .git/hooks/post-checkout")
	ctx := context.Background()
	text, err := git.File(ctx, near, "main", "pylock.toml")
	require.NoError(t, err)
	assert.Equal(t, "new\n", string(text))
	_, err = git.File(ctx, near, "main~1", "pylock.toml")
	assert.Error(t, err, "it is not here")
	_, err = git.File(ctx, near, "main", "missing")
	assert.ErrorIs(t, err, git.ErrAbsent)
	for _, revision := range []string{"nowhere", "--upload-pack=x"} {
		var e *git.Error
		_, err = git.File(ctx, near, revision, "pylock.toml")
		assert.ErrorAs(t, err, &e, revision)
	}
	at, err := git.Top(ctx, near)
	require.NoError(t, err)
	assert.Equal(t, "near", filepath.Base(at))
	assert.Empty(t, git.Config(ctx, near, "merge.glassjar.driver", false))
	assert.NoFileExists(t, sprung)

	shell(near, "git cat-file blob main~1:pylock.toml") // as anybody would, to show that the trap works
	assert.FileExists(t, sprung)
}
