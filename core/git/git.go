// Package git asks the system's git about the working tree of a project. It runs nothing that a
// repository brings: no hooks, no filters, no monitor of files, no transport.
package git

import (
	"bytes"
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// Error says what git could not do.
type Error struct {
	// Said is the line by which git says why; Missing tells that there is no git.
	Said    string
	Missing bool
}

func (e *Error) Error() string {
	if e.Missing {
		return "there is no git on this machine"
	}
	return "git: " + e.Said
}

// Run runs git in a folder and gives what it prints.
func Run(ctx context.Context, dir string, words ...string) ([]byte, error) {
	program, err := exec.LookPath("git")
	if err != nil {
		return nil, &Error{Missing: true}
	}
	cmd := exec.CommandContext(ctx, program, append([]string{"-c", "core.hooksPath=" + os.DevNull, "-c", "core.fsmonitor=false"}, words...)...)
	// What a repository lacks is not fetched: its own configuration says by which program.
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "LC_ALL=C", "GIT_ALLOW_PROTOCOL=none")
	var out, said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &said
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return out.Bytes(), &Error{Said: Complaint(said.String())}
	}
	return out.Bytes(), nil
}

// Complaint is the line of what git printed by which it says what is wrong.
func Complaint(said string) string {
	last := ""
	for _, line := range strings.Split(said, "\n") {
		if text, ok := strings.CutPrefix(line, "fatal: "); ok {
			return text
		}
		if line = strings.TrimSpace(line); line != "" {
			last = line
		}
	}
	return last
}

// ErrAbsent reports that a file is not in a revision.
var ErrAbsent = errors.New("it is not in that revision")

// File is the content of a file, whose path is relative to dir, as a revision has it; ":1" is
// what both sides of a merge that is under way began with. The error is an [*Error], or
// [ErrAbsent] where there is such a revision without the file.
func File(ctx context.Context, dir, revision, path string) ([]byte, error) {
	if strings.HasPrefix(revision, "-") {
		return nil, &Error{Said: "no revision begins with -"}
	}
	text, err := Run(ctx, dir, "cat-file", "blob", revision+":./"+filepath.ToSlash(path))
	var e *Error
	if errors.As(err, &e) && !e.Missing {
		if _, there := Run(ctx, dir, "rev-parse", "--verify", "--quiet", revision+"^{commit}"); there == nil {
			return nil, ErrAbsent
		}
	}
	return text, err
}

// Config is a value of the repository's configuration or, unless only that counts, of the user's;
// empty where there is none.
func Config(ctx context.Context, dir, key string, local bool) string {
	words := []string{"config", "--get", key}
	if local {
		words = []string{"config", "--local", "--get", key}
	}
	text, err := Run(ctx, dir, words...)
	if err != nil {
		return ""
	}
	return strings.TrimRight(string(text), "\n")
}

// Top is the folder of the working tree that a folder is in.
func Top(ctx context.Context, dir string) (string, error) {
	text, err := Run(ctx, dir, "rev-parse", "--show-toplevel")
	return filepath.FromSlash(strings.TrimSpace(string(text))), err
}

// Without leaves variables out of an environment.
func Without(env []string, names ...string) []string {
	return slices.DeleteFunc(slices.Clone(env), func(e string) bool {
		name, _, _ := strings.Cut(e, "=")
		return slices.Contains(names, name)
	})
}
