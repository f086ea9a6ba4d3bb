package drive

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Terminal runs the built program in a folder.
type Terminal struct {
	T   *testing.T
	Dir string
	Env []string
}

func NewTerminal(t *testing.T, dir string) *Terminal {
	home := t.TempDir()
	t.Cleanup(func() { SettleCompilers(home) })
	// Without a language old interpreters cannot write the names of folders.
	return &Terminal{T: t, Dir: dir, Env: []string{"HOME=" + home, "PATH=" + Built + ":/usr/bin:/bin", "LANG=C.UTF-8"}}
}

// Home is the user's.
func (s *Terminal) Home() string { return strings.TrimPrefix(s.Env[0], "HOME=") }

// Output runs a command and gives what it prints; the command must end well.
func (s *Terminal) Output(program string, args ...string) string {
	s.T.Helper()
	out, err := s.Try(program, args...)
	require.NoError(s.T, err, "%s %v\n%s", program, args, out)
	return out
}

func (s *Terminal) Try(program string, args ...string) (string, error) {
	if program == "glassjar" {
		program = filepath.Join(Built, "glassjar")
	}
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Env = s.Dir, s.Env
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// RealPath is a folder without links on the way.
func RealPath(t *testing.T, dir string) string {
	real, err := filepath.EvalSymlinks(dir)
	require.NoError(t, err)
	return real
}

// Elsewhere is another user's terminal, on a machine that has nothing.
func (s *Terminal) Elsewhere() *Terminal {
	return NewTerminal(s.T, RealPath(s.T, s.T.TempDir()))
}

// Another is a further project of a user.
func (s *Terminal) Another() *Terminal {
	return &Terminal{T: s.T, Dir: RealPath(s.T, s.T.TempDir()), Env: s.Env}
}

// Filled makes a jar with something in it.
func Filled(t *testing.T) (*Terminal, string) {
	top := RealPath(t, t.TempDir())
	s := NewTerminal(t, top)
	s.Output("glassjar", "create", "--python", Default.Path)
	s.Output("glassjar", "install", "press-schedule")
	return s, filepath.Join(top, ".jar")
}

// Leftovers are files that no command should leave behind.
func Leftovers(t *testing.T, top string) []string {
	var out []string
	require.NoError(t, filepath.WalkDir(top, func(p string, e os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		for _, mark := range []string{".glassjar-", ".coming-", "staging", "journal", ".new-", ".gone"} {
			if strings.Contains(e.Name(), mark) {
				out = append(out, p)
			}
		}
		return nil
	}))
	return out
}

// Settle is the next command that writes after a kill: it says what it undid. What
// only looks touches nothing.
func (s *Terminal) Settle(jar string) {
	out, err := s.Try("glassjar", "--jar", jar, "check", "--mend")
	if err != nil {
		require.Regexp(s.T, "there is no jar|the spec has changed", out)
	}
}

// Trusts says that the copies of jars are to be taken as they are.
func (s *Terminal) Trusts() {
	jars, err := filepath.Glob(filepath.Join(s.Dir, ".jar*"))
	require.NoError(s.T, err)
	for _, jar := range jars {
		if _, err := os.Stat(filepath.Join(jar, "glassjar", "jar.json")); err == nil {
			s.Output("glassjar", "trust", jar)
		}
	}
}

// NewHome is an empty home folder, and a project's folder elsewhere. They go when
// nothing is compiled in the background any more.
func NewHome(t *testing.T) (home, dir string) {
	home, dir = t.TempDir(), filepath.Join(RealPath(t, t.TempDir()), "press")
	require.NoError(t, os.Mkdir(dir, 0o755))
	t.Cleanup(func() { SettleCompilers(home) })
	return home, dir
}

// Ran is what a command said and its exit code.
type Ran struct {
	Out  string
	Code int
}

// RunIn runs a command with an environment made from nothing.
func RunIn(t *testing.T, home, dir string, argv ...string) Ran {
	path := argv[0]
	if path == "glassjar" {
		path = filepath.Join(Built, path)
	}
	cmd := exec.Command(path, argv[1:]...)
	cmd.Dir, cmd.Env = dir, []string{"HOME=" + home, "PATH=" + Built + ":/usr/bin:/bin"}
	out, err := cmd.CombinedOutput()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		require.NoError(t, err)
	}
	return Ran{string(out), cmd.ProcessState.ExitCode()}
}
