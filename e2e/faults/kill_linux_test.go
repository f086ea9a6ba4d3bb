//go:build linux

package faults

import (
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
	"glassjar/internal/long"
)

// onslaught is one command that is killed again and again, from a folder that is
// always the same.
type onslaught struct {
	name  string
	times int
	// ready brings a fresh folder to where the command begins.
	ready func(s *drive.Terminal)
	args  []string
	// short is for those that are tried without -long too.
	short bool
	// jar is the one whose label tells whether it happened; "" in what it gives is
	// for one that is not there.
	jar string
}

var onslaughts = []onslaught{
	{"create", 30, func(*drive.Terminal) {}, []string{"create"}, false, ".jar"},
	{"install", 45, fillSmall, []string{"install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels"}, true, ".jar"},
	{"install and compile", 15, fillSmall, []string{"install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels"}, false, ".jar"},
	{"install from source", 30, fillSmall, []string{"install", "--yes", "pomace-compost", "--build", "pomace-compost"}, false, ".jar"},
	{"upgrade", 45, func(s *drive.Terminal) {
		s.Output("glassjar", "create")
		s.Output("glassjar", "install", "orchard-core<1.2", "brixmeter<2", "perry-blend")
		s.Output("sh", "-c", "sed -i 's/<1.2//; s/<2//' pyproject.toml")
	}, []string{"upgrade", "--yes"}, false, ".jar"},
	{"uninstall", 45, fillLarge, []string{"uninstall", "--yes", "tree-survey"}, false, ".jar"},
	{"rewind", 45, fillLarge, []string{"rewind", "2", "--yes"}, false, ".jar"},
	{"recreate", 40, func(s *drive.Terminal) {
		fillLarge(s)
		s.Output("glassjar", "discard", ".jar")
		s.Output("glassjar", "store", "tidy")
	}, []string{"recreate", "--yes"}, true, ".jar"},
	{"clone", 30, fillLarge, []string{"clone", ".jar", "./copy"}, false, "copy"},
	{"discard", 20, fillLarge, []string{"discard", ".jar"}, true, ".jar"},
}

func fillSmall(s *drive.Terminal) {
	s.Output("glassjar", "create")
	s.Output("glassjar", "install", "press-schedule")
}

func fillLarge(s *drive.Terminal) {
	fillSmall(s)
	s.Output("glassjar", "install", "--yes", "tree-survey", "harvest-ledger[all]")
}

// Killed at any moment, every command has happened or has not: the jar is as it
// was before or as it would be after, check finds nothing wrong, the store
// verifies, and no temporary file stays.
func TestOnslaught(t *testing.T) {
	for i, o := range onslaughts {
		if !long.Asked() {
			if !o.short {
				continue
			}
		}
		o.times = long.Times(3, o.times)
		t.Run(o.name, func(t *testing.T) {
			t.Parallel()
			o.run(t, rand.New(rand.NewPCG(3, uint64(i))))
		})
	}
}

func (o onslaught) run(t *testing.T, r *rand.Rand) {
	top := drive.RealPath(t, t.TempDir())
	pristine, work := filepath.Join(top, "pristine"), filepath.Join(top, "work")
	require.NoError(t, os.MkdirAll(pristine, 0o755))
	s := drive.NewTerminal(t, work)
	s.Env = append(s.Env, "GLASSJAR_HOME="+filepath.Join(top, "home"), "PATH="+drive.Built+":/usr/bin:/bin", "GLASSJAR_PYTHONS=")
	if strings.Contains(o.name, "compile") {
		s.Env = append(s.Env, "PYTHONDONTWRITEBYTECODE=")
		require.NoError(t, os.MkdirAll(filepath.Join(top, "home"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(top, "home", "settings.toml"), []byte("bytecode = \"on\"\n"), 0o644))
	}
	begin := func() {
		s.Removes(work)
		s.Dir = top
		s.Output("cp", "-a", pristine, work)
		s.Dir = work
		s.Trusts()
	}
	begin()
	o.ready(s)
	s.Dir = top
	s.Output("sh", "-c", "rm -r pristine && cp -a work pristine")
	begin()
	before := o.label(s)
	start := time.Now()
	s.Output("glassjar", o.args...)
	whole := time.Since(start)
	after := o.label(s)
	require.NotEqual(t, before, after, "the command does nothing")
	seen := map[string]int{}
	for n := range o.times {
		begin()
		cmd := exec.Command(filepath.Join(drive.Built, "glassjar"), o.args...)
		cmd.Dir, cmd.Env = s.Dir, s.Env
		require.NoError(t, cmd.Start())
		timer := time.AfterFunc(time.Duration(r.Int64N(int64(whole)*5/4)), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		timer.Stop()
		s.Settle(o.jar)
		label := o.label(s)
		require.Contains(t, []string{before, after}, label, "run %d", n)
		seen[label]++
		if label != "" {
			out, err := s.Try("glassjar", "--jar", o.jar, "check")
			if !strings.Contains(out, "the spec has changed") {
				require.NoError(t, err, "run %d: %s", n, out)
			}
			require.NotContains(t, out, "unknown", "run %d", n)
		}
		require.Empty(t, drive.Leftovers(t, top), "run %d", n)
	}
	s.Output("glassjar", "store", "verify")
	t.Logf("before %d times, after %d times", seen[before], seen[after])
}

// label is the jar's, empty where there is none; the first command after a kill may say what it
// undid.
func (o onslaught) label(s *drive.Terminal) string {
	out, err := s.Try("glassjar", "--jar", o.jar, "label", "--json")
	if err != nil {
		require.Contains(s.T, out, "there is no jar", "%s", out)
		return ""
	}
	_, rest, _ := strings.Cut(out, `"label": "`)
	label, _, _ := strings.Cut(rest, `"`)
	require.True(s.T, label != "" || strings.Contains(out, `"jar": ""`), out)
	return label
}
