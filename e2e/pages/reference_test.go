package pages

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/cli/view"
	"glassjar/core/operation"
	"glassjar/core/project"
	"glassjar/core/settings"

	"glassjar/e2e/drive"
)

// made are the parts of pages that are made from the code, by their names.
var made = map[string]func() string{
	"exit codes": func() string {
		text := "| exit | kind | what |\n| --- | --- | --- |\n"
		for _, w := range view.ExitWords {
			kind := ""
			if w.Kind != "" {
				kind = "`" + w.Kind + "`"
			}
			text += fmt.Sprintf("| %d | %s | %s |\n", w.Code, kind, w.Words)
		}
		return text
	},
	"settings": func() string {
		text := "| setting | value | what | built in |\n| --- | --- | --- | --- |\n"
		for _, s := range settings.All {
			kind := s.Kind
			if len(s.Choices) > 0 {
				kind = "`" + strings.Join(s.Choices, "`, `") + "`"
			}
			text += fmt.Sprintf("| `%s` | %s | %s | %s |\n", s.Key, kind, s.Words, s.Default)
		}
		return text
	},
	"tool": func() string {
		text := "| key | value | what |\n| --- | --- | --- |\n"
		for _, k := range project.ToolKeys {
			text += fmt.Sprintf("| `%s` | %s | %s |\n", k.Key, k.Kind, k.Words)
		}
		return text
	},
	"variables": func() string {
		text := "| variable | what |\n| --- | --- |\n"
		for _, v := range operation.Variables {
			text += fmt.Sprintf("| `%s` | %s |\n", v.Name, v.Words)
		}
		return text
	},
}

// The parts of pages that are made from the code are as the code makes them. With
// GLASSJAR_UPDATE_DOCS=1 they are written anew.
func TestReferenceIsTrue(t *testing.T) {
	part := regexp.MustCompile(`(?s)(<!-- made from the code: ([a-z ]+) -->\n)(.*?)(<!-- end -->)`)
	files, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	seen := 0
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		fresh := part.ReplaceAllStringFunc(string(data), func(whole string) string {
			m := part.FindStringSubmatch(whole)
			make, ok := made[m[2]]
			require.True(t, ok, "%s: nothing makes %q", file, m[2])
			seen++
			if os.Getenv("GLASSJAR_UPDATE_DOCS") == "" {
				assert.Equal(t, make(), m[3], file)
			}
			return m[1] + make() + m[4]
		})
		if os.Getenv("GLASSJAR_UPDATE_DOCS") != "" {
			require.NoError(t, os.WriteFile(file, []byte(fresh), 0o644))
		}
	}
	assert.Equal(t, len(made), seen)
}

// The lines that the page has for start files do what it says, in a shell that has
// nothing else.
func TestStartFilesOfThePage(t *testing.T) {
	page, err := os.ReadFile("../../docs/shells.md")
	require.NoError(t, err)
	home, dir := drive.NewHome(t)
	require.Zero(t, drive.RunIn(t, home, dir, "glassjar", "create").Code)
	lines := regexp.MustCompile("(?m)^\\| (bash|zsh|fish) \\| `[^`]*` \\| `(.*)` \\|$").FindAllStringSubmatch(string(page), -1)
	require.Len(t, lines, 6)
	for _, l := range lines {
		shell, line := l[1], strings.ReplaceAll(l[2], `\|`, "|")
		if _, err := exec.LookPath(shell); err != nil {
			t.Logf("%s is not installed", shell)
			continue
		}
		if strings.Contains(line, "completion") {
			r := drive.RunIn(t, home, dir, shell, "-c", line)
			assert.Zero(t, r.Code, "%s: %s: %s", shell, line, r.Out)
			continue
		}
		text := line + "\nglassjar enter\necho \"in=$VIRTUAL_ENV\"\nglassjar leave\necho \"out=$VIRTUAL_ENV\"\n"
		r := drive.RunIn(t, home, dir, shell, "-c", text)
		assert.Contains(t, r.Out, "in="+dir+"/.jar\n", "%s: %s", shell, line)
		assert.Contains(t, r.Out+"\n", "out=\n", "%s: %s", shell, line)
	}
}
