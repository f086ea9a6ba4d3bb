package diagnose

import (
	"context"
	_ "embed"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

//go:embed trial.py
var trialScript string

// Trial is what importing a module came to, as Python says.
type Trial struct {
	OK      bool     `json:"ok"`
	File    string   `json:"file"`
	Error   string   `json:"error"`
	Message string   `json:"message"`
	Missing string   `json:"missing"`
	At      string   `json:"at"`
	Path    []string `json:"path"`
	Builtin []string `json:"builtin"`
	Stdlib  []string `json:"stdlib"`
	Version string   `json:"version"`
	// Died says how Python ended if it wrote nothing.
	Died string `json:"-"`
}

// try runs the import in the jar's interpreter, in the user's folder.
func (x *Examination) try(ctx context.Context, module string) (Trial, error) {
	dir, err := os.MkdirTemp("", "glassjar-trial-")
	if err != nil {
		return Trial{}, err
	}
	defer os.RemoveAll(dir)
	into := filepath.Join(dir, "came")
	cmd := exec.CommandContext(ctx, x.Jar.Python(), "-c", trialScript, into, module)
	cmd.Env, cmd.Dir = slices.Clone(x.Environment), x.Dir
	// A diagnosis leaves nothing behind, also no bytecode in the project.
	cmd.Env = append(cmd.Env, "PYTHONDONTWRITEBYTECODE=1")
	said, err := cmd.CombinedOutput()
	if ctx.Err() != nil {
		return Trial{}, ctx.Err()
	}
	var t Trial
	data, readErr := os.ReadFile(into)
	if readErr != nil || json.Unmarshal(data, &t) != nil {
		lines := strings.Split(strings.TrimSpace(string(said)), "\n")
		t.Died = lines[len(lines)-1]
		if err != nil {
			t.Died = strings.TrimPrefix(t.Died+"; "+err.Error(), "; ")
		}
	}
	return t, nil
}

// sourceOf is the source of what was loaded from bytecode.
func sourceOf(file string) string {
	if stem, ok := strings.CutSuffix(file, ".pyc"); ok {
		return stem + ".py"
	}
	return file
}
