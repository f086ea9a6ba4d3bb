package operation

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"glassjar/core/git"
	"glassjar/core/limits"
	"glassjar/core/signature"
)

// attributesLines have git merge and show records by this program, and merge their signatures.
var attributesLines = []string{"pylock*.toml merge=glassjar diff=glassjar", "pylock*.toml" + signature.Ending + " merge=glassjar"}

// attributesFile is where git reads that, in the project's folder.
const attributesFile = ".gitattributes"

// gitSettings are those of the repository, by their keys; program is this one.
func gitSettings(program string) map[string]string {
	return map[string]string{
		"merge.glassjar.name":    "records, merged by what they ask for",
		"merge.glassjar.driver":  program + " connect git merge %O %A %B %P %L",
		"diff.glassjar.textconv": program + " connect git show",
	}
}

// thisProgram is how a shell starts this program: by its name, if that is the one on PATH.
func thisProgram() (string, error) {
	own, err := os.Executable()
	if err != nil {
		return "", err
	}
	if found, err := exec.LookPath("glassjar"); err == nil {
		a, err := os.Stat(found)
		b, err2 := os.Stat(own)
		if err == nil && err2 == nil && os.SameFile(a, b) {
			return "glassjar", nil
		}
	}
	if runtime.GOOS == "windows" {
		own = filepath.ToSlash(own) // git starts it by a shell of its own
	}
	return "'" + strings.ReplaceAll(own, "'", `'\''`) + "'", nil
}

// ConnectGit has git merge records by what they ask for, and show their differences in words:
// for this checkout in the repository's configuration, and for everybody in two lines of
// .gitattributes. With undo both are taken out again.
func (m *Machine) ConnectGit(ctx context.Context, ref string, undo bool, decide func(*Connection) (bool, error)) (*Connection, error) {
	at, release, err := m.beginConnect(ctx, ref)
	if err != nil {
		return nil, err
	}
	defer release()
	if _, err := git.Top(ctx, at.Project); err != nil {
		return nil, usage(NoRepository, m.relative(at.Project))
	}
	program, err := thisProgram()
	if err != nil {
		return nil, err
	}
	c := &Connection{Jar: at.Root, Edits: []FileEdit{}}
	file := filepath.Join(at.Project, attributesFile)
	before, err := readIfThere(file)
	if err != nil {
		return nil, err
	}
	if after := withAttributes(before, undo); !bytes.Equal(before, after) {
		c.Edits = append(c.Edits, newEdit(file, before, after))
	}
	if config := gitConfig(ctx, at.Project, program, undo); config != nil {
		c.Edits = append(c.Edits, *config)
	}
	if wrote, err := c.carryOut(m, decide); err != nil || !wrote {
		return c, err
	}
	if !undo {
		c.Next = append(c.Next, "git add "+attributesFile)
	}
	return c, nil
}

// withAttributes is .gitattributes with the lines, or without them; nil for no file.
func withAttributes(text []byte, undo bool) []byte {
	lines := strings.SplitAfter(string(text), "\n")
	if undo {
		rest := slices.DeleteFunc(lines, func(line string) bool { return slices.Contains(attributesLines, strings.TrimSpace(line)) })
		if out := strings.Join(rest, ""); len(out) == len(text) || strings.TrimSpace(out) != "" {
			return []byte(out)
		}
		return nil
	}
	out := slices.Clone(text)
	for _, want := range attributesLines {
		if slices.ContainsFunc(lines, func(line string) bool { return strings.TrimSpace(line) == want }) {
			continue
		}
		if len(out) > 0 && out[len(out)-1] != '\n' {
			out = append(out, '\n')
		}
		out = append(out, want+"\n"...)
	}
	return out
}

// gitConfig is what changes in the repository's configuration, done by git itself; nil for
// nothing.
func gitConfig(ctx context.Context, dir, program string, undo bool) *FileEdit {
	want := gitSettings(program)
	var now, then strings.Builder
	var steps [][]string
	for _, key := range sortedNames(want) {
		have := git.Config(ctx, dir, key, true)
		if have != "" {
			fmt.Fprintf(&now, "%s = %s\n", key, have)
		}
		switch {
		case undo && have != "":
			steps = append(steps, []string{"config", "--local", "--unset-all", key})
		case !undo:
			fmt.Fprintf(&then, "%s = %s\n", key, want[key])
			if have != want[key] {
				steps = append(steps, []string{"config", "--local", key, want[key]})
			}
		}
	}
	if len(steps) == 0 {
		return nil
	}
	if undo {
		for _, section := range []string{"merge.glassjar", "diff.glassjar"} {
			steps = append(steps, []string{"config", "--local", "--remove-section", section})
		}
	}
	path, err := git.Run(ctx, dir, "rev-parse", "--git-path", "config")
	if err != nil {
		return nil
	}
	file := filepath.FromSlash(strings.TrimSpace(string(path)))
	if !filepath.IsAbs(file) {
		file = filepath.Join(dir, file)
	}
	e := newEdit(file, []byte(now.String()), []byte(then.String()))
	e.New, e.Gone = false, false
	e.write = func() error {
		for _, step := range steps {
			if _, err := git.Run(ctx, dir, step...); err != nil && step[2] != "--remove-section" { // it goes with its last key
				return err
			}
		}
		return nil
	}
	return &e
}

// lacksMerging reports whether a project's files say that git merges records by this program,
// while this checkout does not know how: its configuration does not come with a clone.
func (m *Machine) lacksMerging(ctx context.Context, project string) bool {
	text, err := limits.ReadFile(filepath.Join(project, attributesFile), limits.Own)
	if err != nil || !strings.Contains(string(text), "merge=glassjar") {
		return false
	}
	if _, err := git.Top(ctx, project); err != nil {
		return false
	}
	return git.Config(ctx, project, "merge.glassjar.driver", false) == ""
}
