//go:build linux

package e2e

import (
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// onslaught is one command that is killed again and again, from a folder that is
// always the same.
type onslaught struct {
	name  string
	times int
	// ready brings a fresh folder to where the command begins.
	ready func(s *terminal)
	args  []string
	// jar is the one whose label tells whether it happened; "" in what it gives is
	// for one that is not there.
	jar string
}

var onslaughts = []onslaught{
	{"create", 30, func(*terminal) {}, []string{"create"}, ".jar"},
	{"install", 45, fillSmall, []string{"install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels"}, ".jar"},
	{"install and compile", 15, fillSmall, []string{"install", "--yes", "orchard-tools-hives", "swarm-count", "cellar-labels"}, ".jar"},
	{"install from source", 30, fillSmall, []string{"install", "--yes", "pomace-compost", "--build", "pomace-compost"}, ".jar"},
	{"upgrade", 45, func(s *terminal) {
		s.output("glassjar", "create")
		s.output("glassjar", "install", "orchard-core<1.2", "brixmeter<2", "perry-blend")
		s.output("sh", "-c", "sed -i 's/<1.2//; s/<2//' pyproject.toml")
	}, []string{"upgrade", "--yes"}, ".jar"},
	{"uninstall", 45, fillLarge, []string{"uninstall", "--yes", "tree-survey"}, ".jar"},
	{"rewind", 45, fillLarge, []string{"rewind", "2", "--yes"}, ".jar"},
	{"recreate", 40, func(s *terminal) {
		fillLarge(s)
		s.output("glassjar", "discard", ".jar")
		s.output("glassjar", "store", "tidy")
	}, []string{"recreate", "--yes"}, ".jar"},
	{"clone", 30, fillLarge, []string{"clone", ".jar", "./copy"}, "copy"},
	{"discard", 20, fillLarge, []string{"discard", ".jar"}, ".jar"},
}

func fillSmall(s *terminal) {
	s.output("glassjar", "create")
	s.output("glassjar", "install", "press-schedule")
}

func fillLarge(s *terminal) {
	fillSmall(s)
	s.output("glassjar", "install", "--yes", "tree-survey", "harvest-ledger[all]")
}

// Killed at any moment, every command has happened or has not: the jar is as it
// was before or as it would be after, check finds nothing wrong, the store
// verifies, and no temporary file stays.
func TestOnslaught(t *testing.T) {
	total := 0
	for i, o := range onslaughts {
		total += o.times
		t.Run(o.name, func(t *testing.T) {
			t.Parallel()
			o.run(t, rand.New(rand.NewPCG(3, uint64(i))))
		})
	}
	assert.GreaterOrEqual(t, total, 300)
}

func (o onslaught) run(t *testing.T, r *rand.Rand) {
	top := realPath(t, t.TempDir())
	pristine, work := filepath.Join(top, "pristine"), filepath.Join(top, "work")
	require.NoError(t, os.MkdirAll(pristine, 0o755))
	s := newTerminal(t, work)
	s.env = append(s.env, "GLASSJAR_HOME="+filepath.Join(top, "home"), "PATH="+built+":/usr/bin:/bin", "GLASSJAR_PYTHONS=")
	if strings.Contains(o.name, "compile") {
		s.env = append(s.env, "PYTHONDONTWRITEBYTECODE=")
		require.NoError(t, os.MkdirAll(filepath.Join(top, "home"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(top, "home", "settings.toml"), []byte("bytecode = \"on\"\n"), 0o644))
	}
	begin := func() {
		s.removes(work)
		s.dir = top
		s.output("cp", "-a", pristine, work)
		s.dir = work
		s.trusts()
	}
	begin()
	o.ready(s)
	s.dir = top
	s.output("sh", "-c", "rm -r pristine && cp -a work pristine")
	begin()
	before := o.label(s)
	start := time.Now()
	s.output("glassjar", o.args...)
	whole := time.Since(start)
	after := o.label(s)
	require.NotEqual(t, before, after, "the command does nothing")
	seen := map[string]int{}
	for n := range o.times {
		begin()
		cmd := exec.Command(filepath.Join(built, "glassjar"), o.args...)
		cmd.Dir, cmd.Env = s.dir, s.env
		require.NoError(t, cmd.Start())
		timer := time.AfterFunc(time.Duration(r.Int64N(int64(whole)*5/4)), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		timer.Stop()
		s.settle(o.jar)
		label := o.label(s)
		require.Contains(t, []string{before, after}, label, "run %d", n)
		seen[label]++
		if label != "" {
			out, err := s.try("glassjar", "--jar", o.jar, "check")
			if !strings.Contains(out, "the spec has changed") {
				require.NoError(t, err, "run %d: %s", n, out)
			}
			require.NotContains(t, out, "unknown", "run %d", n)
		}
		require.Empty(t, leftovers(t, top), "run %d", n)
	}
	s.output("glassjar", "store", "verify")
	t.Logf("before %d times, after %d times", seen[before], seen[after])
}

// label is the jar's, empty where there is none; the first command after a kill may say what it
// undid.
func (o onslaught) label(s *terminal) string {
	out, err := s.try("glassjar", "--jar", o.jar, "label", "--json")
	if err != nil {
		require.Contains(s.t, out, "there is no jar", "%s", out)
		return ""
	}
	_, rest, _ := strings.Cut(out, `"label": "`)
	label, _, _ := strings.Cut(rest, `"`)
	require.True(s.t, label != "" || strings.Contains(out, `"jar": ""`), out)
	return label
}
