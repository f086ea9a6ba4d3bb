package records

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
	"glassjar/internal/long"
)

// wishes are what specs of the test ask for, each by one of these requirements or not at all.
var wishes = map[string][]string{
	"brixmeter": {"brixmeter", "brixmeter<2.1", "brixmeter>=1"}, "press-schedule": {"press-schedule", "press-schedule<2"}, "graft-notes": {"graft-notes"},
	"orchard-map": {"orchard-map", "orchard-map<2"}, "orchard-core": {"orchard-core", "orchard-core<2"}, "must-core": {"must-core"},
	"moon-almanac": {"moon-almanac"}, "pick-list": {"pick-list; python_version >= '3.9'", "pick-list"}, "sugar-curve": {"sugar-curve; sys_platform == 'linux'"},
}

// side is a spec: the requirement that it has for a name, in its dependencies or a group.
type side map[string]string

func (s side) changed(r *rand.Rand, times int) side {
	out := maps.Clone(s)
	for range times {
		name := slices.Sorted(maps.Keys(wishes))[r.IntN(len(wishes))]
		for _, key := range []string{name, "tests: " + name} {
			delete(out, key)
		}
		key := name
		if r.IntN(4) == 0 {
			key = "tests: " + name
		}
		if n := r.IntN(len(wishes[name]) + 1); n > 0 {
			out[key] = wishes[name][n-1]
		}
	}
	return out
}

func (s side) spec() string {
	lists := [2]string{}
	for _, key := range slices.Sorted(maps.Keys(s)) {
		at := 0
		if strings.HasPrefix(key, "tests: ") {
			at = 1
		}
		lists[at] += fmt.Sprintf("    %q,\n", s[key])
	}
	return "[project]\nname = \"press-house\"\nversion = \"1\"\nrequires-python = \">=3.9\"\ndependencies = [\n" + lists[0] + "]\n\n[dependency-groups]\ntests = [\n" + lists[1] + "]\n"
}

// merged is what both sides ask for; ok is false where both changed one name, and not alike.
func (s side) merged(ours, theirs side) (out side, ok bool) {
	out = side{}
	names := maps.Clone(s)
	maps.Copy(names, ours)
	maps.Copy(names, theirs)
	for name := range names {
		was, a, b := s[name], ours[name], theirs[name]
		switch {
		case a == b || b == was:
			b = a
		case a != was:
			return nil, false
		}
		if b != "" {
			out[name] = b
		}
	}
	return out, true
}

// Two branches with random changes: the merged record is that which solving the merged spec
// gives with the versions of both sides as wishes, and it is in step with that spec.
func TestRandomMerges(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("there is no git")
	}
	t.Parallel()
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	r := rand.New(rand.NewPCG(20, 1))
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(s.Dir, name), []byte(text), 0o644))
	}
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(s.Dir, name))
		require.NoError(t, err)
		return string(text)
	}
	record := func(of side, from string) (string, bool) {
		write("pyproject.toml", of.spec())
		_ = os.Remove(filepath.Join(s.Dir, "pylock.toml"))
		if from != "" {
			write("pylock.toml", from)
		}
		if _, err := s.Try("glassjar", "record"); err != nil {
			return "", false
		}
		return read("pylock.toml"), true
	}
	done, conflicts := 0, 0
	for n := 0; done < long.Times(5, 100); n++ {
		require.Less(t, n, 1000)
		began := side{}.changed(r, 5)
		ours, theirs := began.changed(r, 1+r.IntN(3)), began.changed(r, 1+r.IntN(3))
		both, ok := began.merged(ours, theirs)
		if !ok {
			continue
		}
		base, ok := record(began, "")
		if !ok {
			continue
		}
		b, ok := record(theirs, base)
		if !ok {
			continue
		}
		a, ok := record(ours, base)
		if !ok {
			continue
		}
		done++
		write("base", base)
		write("ours", a)
		write("theirs", b)
		out, failed := s.Try("glassjar", "connect", "git", "merge", "base", "ours", "theirs", "pylock.toml", "7")
		merged := read("ours")
		// The other way to the same: marks of a merge that failed, and record after it.
		write("pyproject.toml", both.spec())
		write("pylock.toml", "<<<<<<< ours\n"+a+"||||||| base\n"+base+"=======\n"+b+">>>>>>> theirs\n")
		said, err := s.Try("glassjar", "record")
		if err != nil {
			conflicts++
			assert.Error(t, failed, "%d: both sides together have no solution\n%s", n, said)
			continue
		}
		require.NoError(t, failed, "%d: %s", n, out)
		require.Equal(t, read("pylock.toml"), merged, "%d: %v, %v and %v", n, began, ours, theirs)
		write("pylock.toml", merged)
		s.Output("glassjar", "record", "--check")
	}
	t.Logf("%d pairs, of which %d have no solution together", done, conflicts)
}
