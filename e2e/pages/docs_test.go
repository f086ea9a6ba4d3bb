package pages

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
)

// pages are those whose commands are run: each block that is set in and begins
// with "$ " is what one types and what comes back. With GLASSJAR_UPDATE_DOCS=1
// the pages are written anew.
var pages = []string{"../../README.md", "../../docs/first-jar.md", "../../docs/moving.md", "../../docs/parts.md", "../../docs/images-and-editors.md", "../../docs/clusters.md", "../../docs/store.md",
	"../../docs/settings.md", "../../docs/servers.md", "../../docs/installing.md", "../../docs/what-went-wrong.md", "../../docs/building.md", "../../docs/scripts.md"}

// What the threat model says is tried is tried: each test that it names is there.
func TestSecurityNamesItsTests(t *testing.T) {
	text, err := os.ReadFile("../../docs/security.md")
	require.NoError(t, err)
	lines := 0
	for _, line := range strings.Split(string(text), "\n") {
		cells := strings.Split(strings.Trim(line, "| "), " | ")
		if len(cells) != 3 || cells[2] == "tried by" || strings.HasPrefix(cells[0], "---") {
			continue
		}
		lines++
		for _, name := range strings.Split(cells[2], ", ") {
			found, err := filepath.Glob(filepath.Join("..", "*", "testdata", "script", name+".txtar"))
			require.NoError(t, err)
			if strings.Contains(name, "/") {
				found, err = filepath.Glob(filepath.Join("..", "..", name, "*_test.go"))
				require.NoError(t, err)
			}
			assert.NotEmpty(t, found, "%s: %s", cells[0], name)
		}
	}
	assert.Greater(t, lines, 20)
}

// What is another on every machine is written as it would be on one.
var settled = []struct {
	from *regexp.Regexp
	to   string
}{
	{regexp.MustCompile(`(CPython|for Python|Python) 3\.\d+\.\d+\S*`), "$1 3.12.4"},
	{regexp.MustCompile(`\d+(\.\d+)? m?s\b`), "4 ms"},
	{regexp.MustCompile(`\b[0-9a-f]{4}(-[0-9a-f]{4}){4}\b`), "8dd2-41f0-4445-a5ff-4c62"},
	{regexp.MustCompile(`python3\.\d+`), "python3.12"},
	{regexp.MustCompile(`pythonVersion = "3\.\d+"|python:3\.\d+-slim`), ""},
	{regexp.MustCompile(`on linux \w+`), "on linux x86_64"},
	{regexp.MustCompile(`cpython-3\d+-[0-9a-f]{8}`), "cpython-312-cb0d0d0a"},
}

// underWay is a line that says how far work has come: on a slow machine there
// are some, on a fast one none.
var underWay = regexp.MustCompile(`(?m)^((solving for all targets|finding versions|fetching|sending|unpacking|verifying|compiling|compiling modules|putting files in place)(  \d.*)?|(building|asking the back end of|finding versions that fit together for|compiling|starting) \S.*)\n`)

func settle(text, top, home string) string {
	text = underWay.ReplaceAllString(text, "")
	for _, r := range []string{"/private" + top, top} {
		text = strings.ReplaceAll(text, r, "~/orchard")
	}
	text = strings.ReplaceAll(text, home, "~")
	text = regexp.MustCompile(`/\S*/bin/python3\.\d+`).ReplaceAllStringFunc(text, func(p string) string {
		if strings.Contains(p, ".jar") {
			return p
		}
		return "/usr/bin/python3.12"
	})
	for _, s := range settled {
		if s.to != "" {
			text = s.from.ReplaceAllString(text, s.to)
		}
	}
	return strings.ReplaceAll(text, `pythonVersion = "`+drive.Default.Minor()+`"`, `pythonVersion = "3.12"`)
}

// masked takes sizes and times out of a text: bytecode is of another size with each Python.
func masked(text string) string {
	text = regexp.MustCompile(`\b\d{4}-\d\d-\d\d \d\d:\d\d\b`).ReplaceAllString(text, "TIME")
	return regexp.MustCompile(`[ \t]*\b\d+(\.\d+)? (B|kB|MB)\b *`).ReplaceAllString(text, " SIZE ")
}

// typed is one command of a page, with the lines of its block that it fills.
type typed struct {
	command    string
	from, to   int // lines of output in the page
	wantOutput string
}

const setIn = "    "

// commandsOf finds what is typed in a page. A line that begins with "> " goes on
// with the command above.
func commandsOf(lines []string) []typed {
	var out []typed
	inside := false
	for i := 0; i < len(lines); i++ {
		text, ok := strings.CutPrefix(lines[i], setIn+"$ ")
		if !ok {
			inside = inside && strings.HasPrefix(lines[i], setIn)
			continue
		}
		inside = true
		c := typed{command: text}
		for i+1 < len(lines) && strings.HasPrefix(lines[i+1], setIn+"> ") {
			i++
			c.command += "\n" + strings.TrimPrefix(lines[i], setIn+"> ")
		}
		c.from = i + 1
		for i+1 < len(lines) && strings.HasPrefix(lines[i+1], setIn) && !strings.HasPrefix(lines[i+1], setIn+"$ ") {
			i++
			c.wantOutput += strings.TrimPrefix(lines[i], setIn) + "\n"
		}
		c.to = i + 1
		out = append(out, c)
	}
	return out
}

// Every command of the pages does what the page shows.
func TestPagesAreTrue(t *testing.T) {
	t.Parallel()
	for _, page := range pages {
		t.Run(filepath.Base(page), func(t *testing.T) {
			if runtime.GOOS != "linux" {
				t.Skip("the pages show what a Linux machine says")
			}
			if strings.HasSuffix(page, "images-and-editors.md") && !drive.Static() {
				t.Skip("the program needs libraries of the system: CGO_ENABLED=0 go test")
			}
			data, err := os.ReadFile(page)
			require.NoError(t, err)
			lines := strings.Split(string(data), "\n")
			list := commandsOf(lines)
			require.NotEmpty(t, list, "the page types nothing")
			said := typeAll(t, list)
			var fresh []string
			at := 0
			for i, c := range list {
				if masked(c.wantOutput) == masked(said[i]) {
					said[i] = c.wantOutput
				}
				if c.command[0] != '#' && os.Getenv("GLASSJAR_UPDATE_DOCS") == "" {
					assert.Equal(t, c.wantOutput, said[i], "$ %s", c.command)
				}
				fresh = append(fresh, lines[at:c.from]...)
				for _, l := range strings.Split(strings.TrimSuffix(said[i], "\n"), "\n") {
					if said[i] != "" {
						fresh = append(fresh, strings.TrimRight(setIn+l, " "))
					}
				}
				at = c.to
			}
			if os.Getenv("GLASSJAR_UPDATE_DOCS") != "" {
				fresh = append(fresh, lines[at:]...)
				require.NoError(t, os.WriteFile(page, []byte(strings.Join(fresh, "\n")), 0o644))
			}
		})
	}
}

// typeAll types commands into one shell and gives what each said.
func typeAll(t *testing.T, list []typed) []string {
	top := filepath.Join(drive.RealPath(t, t.TempDir()), "orchard")
	home := filepath.Dir(top)
	require.NoError(t, os.MkdirAll(top, 0o755))
	var script strings.Builder
	for i, c := range list {
		if given := regexp.MustCompile(`\./\S+\.pem`).FindString(c.command); given != "" { // somebody else made it
			require.NoError(t, os.WriteFile(filepath.Join(top, given), nil, 0o644))
		}
		fmt.Fprintf(&script, "echo '@@%d'\n%s\n", i, c.command)
	}
	cmd := exec.Command("sh", "-c", "exec 2>&1\n"+script.String())
	cmd.Dir = top
	cmd.Env = []string{"HOME=" + home, "PATH=" + drive.World{Settled: true}.Programs(t) + ":/usr/bin:/bin", "COLUMNS=80"}
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Logf("the last command ended with %v", err) // a page may end with a refusal
	}
	said := make([]string, len(list))
	for i := range list {
		_, rest, ok := strings.Cut(string(out), fmt.Sprintf("@@%d\n", i))
		require.True(t, ok, "command %d was not reached: %s\n%s", i, list[i].command, out)
		text, _, _ := strings.Cut(rest, fmt.Sprintf("@@%d\n", i+1))
		said[i] = settle(text, top, home)
	}
	return said
}
