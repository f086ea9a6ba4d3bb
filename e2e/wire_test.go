package e2e

import (
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/internal/farindex"
)

// onFar is a user with a project whose only index is far away.
func onFar(t *testing.T, far *farindex.Index) (*terminal, *httptest.Server) {
	server := httptest.NewServer(far)
	t.Cleanup(server.Close)
	s := newTerminal(t, realPath(t, t.TempDir()))
	s.output("glassjar", "index", "add", "far", server.URL+"/simple/")
	s.output("glassjar", "create", "--python", def.Path)
	far.Asked()
	return s, server
}

// another is a further project of a user.
func (s *terminal) another() *terminal {
	return &terminal{t: s.t, dir: realPath(s.t, s.t.TempDir()), env: s.env}
}

// slack are questions that wait for another on a busy machine alone: that one was answered before
// this one's connection was there. To ask for one thing after the other would be sixty.
const slack = 5

// No more is asked than there is to know, and no question waits that need not.
func TestAsFewRoundsAsTheNeedsAreDeep(t *testing.T) {
	for _, plain := range []bool{false, true} {
		t.Run(fmt.Sprintf("plain %t", plain), func(t *testing.T) {
			far := farindex.New()
			far.RoundTrip, far.Plain = 60*time.Millisecond, plain
			require.NoError(t, far.Grow())
			s, server := onFar(t, far)
			install := []string{"install", "far0", "far1", "far2", "far3"}
			s.output("glassjar", install...)
			first := far.Asked()
			assert.LessOrEqual(t, first.Longest, 2*farindex.Depth+3+slack)
			assert.LessOrEqual(t, first.All(), 3*farindex.Distributions*12/10, "%+v", first)

			s.output("glassjar", "record")
			after := far.Asked()
			assert.LessOrEqual(t, after.Longest, 2+slack, "%+v", after)
			second := s.another()
			second.output("glassjar", "create", "--python", def.Path)
			second.output("glassjar", install...)
			stale := far.Asked()
			assert.LessOrEqual(t, stale.Longest, 2+slack, "%+v", stale)
			assert.Equal(t, farindex.Asked{Pages: farindex.Distributions, Longest: stale.Longest}, stale, "pages that are stale are asked for again, and nothing else")

			for _, file := range []string{"pylock.toml", "pyproject.toml"} {
				s.output("cp", file, second.dir)
			}
			mate := newTerminal(t, second.dir)
			mate.output("glassjar", "index", "add", "far", server.URL+"/simple/")
			mate.removes(filepath.Join(mate.dir, ".jar"))
			mate.output("glassjar", "recreate", "--python", def.Path)
			recreated := far.Asked()
			assert.LessOrEqual(t, recreated.Longest, 3+slack)
			assert.Equal(t, farindex.Asked{Files: farindex.Distributions, Longest: recreated.Longest}, recreated)
		})
	}
}

// A private index in front of a public one costs one round, and the public one is not asked for
// what is private.
func TestAPrivateIndexCostsOneRound(t *testing.T) {
	far := farindex.New()
	far.RoundTrip = 60 * time.Millisecond
	require.NoError(t, far.Grow())
	private := map[string]bool{}
	for n := 0; n < farindex.Distributions; n += 3 {
		private[fmt.Sprint("far", n)] = true
	}
	far.Private = func(name string) bool { return private[name] }
	var astray atomic.Int32
	far.Watch = func(path string) {
		if name, public := strings.CutPrefix(path, "/simple/"); public && private[strings.TrimSuffix(name, "/")] {
			astray.Add(1)
		}
	}
	server := httptest.NewServer(far)
	t.Cleanup(server.Close)
	s := newTerminal(t, realPath(t, t.TempDir()))
	s.output("glassjar", "index", "add", "private", server.URL+"/private/")
	s.output("glassjar", "index", "add", "public", server.URL+"/simple/")
	s.output("glassjar", "create", "--python", def.Path)
	far.Asked()
	s.output("glassjar", "install", "far0", "far1", "far2", "far3")
	first := far.Asked()
	assert.LessOrEqual(t, first.Longest, 2*farindex.Depth+3+1+slack)
	assert.LessOrEqual(t, first.Pages, 2*farindex.Distributions+1, "%+v", first)
	assert.Zero(t, astray.Load())
}

// The files of the jar come while other systems are still being solved for, where nobody is asked
// before, and only then.
func TestFilesComeWhileOthersAreSolvedFor(t *testing.T) {
	far := farindex.New()
	far.RoundTrip = 60 * time.Millisecond
	require.NoError(t, far.Add("cask", "1.0", "py3-none-any", "Requires-Dist: hoop0; sys_platform == 'win32'"))
	for n := range 4 {
		require.NoError(t, far.Add(fmt.Sprint("hoop", n), "1.0", "py3-none-any", fmt.Sprintf("Requires-Dist: hoop%d", min(n+1, 3))))
	}
	s, _ := onFar(t, far)
	s.output("glassjar", "install", "cask", "--plan")
	assert.Zero(t, far.Asked().Files, "a plan fetches nothing")
	s.removes(filepath.Join(s.home(), ".cache"))
	out := s.output("glassjar", "install", "cask")
	asked := far.Asked()
	assert.Equal(t, []int{1, 1}, []int{asked.Files, asked.Early}, "%+v", asked)
	assert.Contains(t, out, "1 added")
	assert.NotContains(t, out, "here already")

	// Where it comes to nothing, nothing half is left, and nobody waits for it.
	require.NoError(t, far.Add("hoop3", "1.0", "py3-none-any", "Requires-Dist: hoop3>1"))
	require.NoError(t, far.Add("vat", "1.0", "py3-none-any", "Requires-Dist: hoop0; sys_platform == 'win32'"))
	second := s.another()
	s.removes(filepath.Join(s.home(), ".cache"))
	require.NoError(t, os.WriteFile(filepath.Join(second.dir, "pyproject.toml"), []byte("[project]\nname = \"p\"\nversion = \"1\"\n[tool.glassjar]\ntargets = [\"linux-x86_64\", \"windows-x86_64\"]\n"), 0o644))
	second.output("glassjar", "create", "--python", def.Path)
	far.Asked()
	out, err := second.try("glassjar", "install", "vat")
	require.Error(t, err, out)
	assert.Contains(t, out, "hoop3")
	assert.Equal(t, 1, far.Asked().Early)
	s.output("glassjar", "store", "tidy", "--yes")
	second.output("glassjar", "store", "verify")
}

// In whatever order answers come, the record is the same.
func TestTheOrderOfAnswersChangesNothing(t *testing.T) {
	t.Parallel()
	far := farindex.New()
	far.Delay = func() time.Duration { return time.Duration(rand.IntN(4000)) * time.Microsecond }
	r := rand.New(rand.NewPCG(3, 4))
	for n := range 14 {
		for v := 1; v < 4; v++ {
			var needs []string
			for range r.IntN(3) {
				if other := n + 1 + r.IntN(5); other < 14 {
					needs = append(needs, fmt.Sprintf("Requires-Dist: mix%d%s%d%s", other, []string{">=", "<=", "!="}[r.IntN(3)], 1+r.IntN(3), []string{"", "; sys_platform == 'win32'", "; python_version < '3.11'"}[r.IntN(3)]))
				}
			}
			for _, tag := range [][]string{{"py3-none-any"}, {"cp311-cp311-win_amd64", "cp311-cp311-manylinux_2_17_x86_64", "py3-none-any"}}[r.IntN(2)] {
				require.NoError(t, far.Add(fmt.Sprintf("mix%d", n), fmt.Sprintf("%d.0", v), tag, needs...))
			}
		}
	}
	s, _ := onFar(t, far)
	spec := "[project]\nname = \"p\"\nversion = \"1\"\nrequires-python = \">=3.9\"\ndependencies = [\"mix0\", \"mix1\", \"mix2\", \"mix3\"]\n"
	settings := s.output("glassjar", "settings")
	assert.NotEmpty(t, settings)
	var group sync.WaitGroup
	var mu sync.Mutex
	records := map[string]int{}
	for worker := range 4 {
		home := filepath.Join(t.TempDir(), fmt.Sprint(worker))
		require.NoError(t, os.CopyFS(home, os.DirFS(s.home())))
		group.Go(func() {
			for n := range 50 {
				one := &terminal{t: t, dir: filepath.Join(home, fmt.Sprint("p", n)), env: append([]string{"HOME=" + home}, s.env[1:]...)}
				assert.NoError(t, os.MkdirAll(one.dir, 0o755))
				one.removes(filepath.Join(home, ".cache"))
				assert.NoError(t, os.WriteFile(filepath.Join(one.dir, "pyproject.toml"), []byte(spec), 0o644))
				out, err := one.try("glassjar", "record")
				assert.NoError(t, err, out)
				data, err := os.ReadFile(filepath.Join(one.dir, "pylock.toml"))
				assert.NoError(t, err)
				mu.Lock()
				records[string(data)]++
				mu.Unlock()
			}
		})
	}
	group.Wait()
	assert.Len(t, records, 1)
	for _, n := range records {
		assert.Equal(t, 200, n)
	}
}

// An index that gives no hashes of metadata does not say whether wheels need the same. Where many
// would have to be read one is, the record says so, and where it proves false nothing changes.
func TestAssumedNeeds(t *testing.T) {
	other := ""
	for _, minor := range []string{"3.9", "3.10", "3.12", "3.13"} {
		if _, ok := found[minor]; ok && minor != def.Minor() {
			other = minor
		}
	}
	if other == "" {
		t.Skip("there is one Python only")
	}
	far := farindex.New()
	far.Plain = true
	tagOf := func(minor string) string { return "cp3" + minor[2:] + "-cp3" + minor[2:] }
	for n := range 3 {
		for minor := 8; minor < 15; minor++ {
			for _, platform := range []string{"manylinux_2_17_x86_64", "manylinux_2_17_aarch64", "macosx_11_0_arm64", "win_amd64"} {
				var needs []string
				tag := fmt.Sprintf("cp3%d-cp3%d", minor, minor)
				if n == 0 && tag == tagOf(other) {
					needs = append(needs, "Requires-Dist: stave>=2")
				}
				require.NoError(t, far.Add(fmt.Sprintf("vat%d", n), "1.0", tag+"-"+platform, needs...))
			}
		}
	}
	require.NoError(t, far.Add("stave", "2.0", "py3-none-any"))
	s, _ := onFar(t, far)
	s.output("glassjar", "install", "vat0", "vat1", "vat2")
	assert.Less(t, far.Asked().Metadata, 6)
	record, err := os.ReadFile(filepath.Join(s.dir, "pylock.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(record), "needs-of = \"vat0-1.0-"+tagOf(def.Minor()))
	assert.Contains(t, s.output("glassjar", "record"), "assumed")

	mate := s.another()
	for _, file := range []string{"pylock.toml", "pyproject.toml"} {
		s.output("cp", file, mate.dir)
	}
	out, err := mate.try("glassjar", "recreate", "--python", found[other].Path)
	require.Error(t, err)
	assert.Contains(t, out, "needs stave>=2")
	assert.Contains(t, out, "glassjar record --every-wheel vat0")
	assert.NoDirExists(t, filepath.Join(mate.dir, ".jar"))
	mate.output("glassjar", "record", "--every-wheel", "vat0")
	mate.output("glassjar", "recreate", "--python", found[other].Path)
	assert.Contains(t, mate.output("glassjar", "contents"), "stave")
	record, err = os.ReadFile(filepath.Join(mate.dir, "pylock.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(record), "needs-of = \"every wheel\"")
	mate.output("glassjar", "record")
	again, err := os.ReadFile(filepath.Join(mate.dir, "pylock.toml"))
	require.NoError(t, err)
	assert.Equal(t, string(record), string(again), "what was read stays read")
}
