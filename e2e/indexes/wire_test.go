package indexes

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
	"glassjar/internal/long"
	"glassjar/internal/wait"

	"glassjar/e2e/drive"
)

// onFar is a user with a project whose only index is far away.
func onFar(t *testing.T, far *farindex.Index) (*drive.Terminal, *httptest.Server) {
	server := httptest.NewServer(far)
	t.Cleanup(server.Close)
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	s.Output("glassjar", "index", "add", "far", server.URL+"/simple/")
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	far.Asked()
	return s, server
}

// slack are questions that wait for another on a busy machine alone: that one was answered before
// this one's connection was there. To ask for one thing after the other would be sixty.
const slack = 10

// No more is asked than there is to know, and no question waits that need not.
func TestAsFewRoundsAsTheNeedsAreDeep(t *testing.T) {
	for _, plain := range []bool{false, true} {
		t.Run(fmt.Sprintf("plain %t", plain), func(t *testing.T) {
			far := farindex.New()
			far.RoundTrip, far.Plain = wait.Longer(60*time.Millisecond), plain
			require.NoError(t, far.Grow())
			s, server := onFar(t, far)
			install := []string{"install", "far0", "far1", "far2", "far3"}
			s.Output("glassjar", install...)
			first := far.Asked()
			assert.LessOrEqual(t, first.Longest, 2*farindex.Depth+3+slack)
			assert.LessOrEqual(t, first.All(), 3*farindex.Distributions*12/10, "%+v", first)

			s.Output("glassjar", "record")
			after := far.Asked()
			assert.LessOrEqual(t, after.Longest, 2+slack, "%+v", after)
			second := s.Another()
			second.Output("glassjar", "create", "--python", drive.Default.Path)
			second.Output("glassjar", install...)
			stale := far.Asked()
			assert.LessOrEqual(t, stale.Longest, 2+slack, "%+v", stale)
			assert.Equal(t, farindex.Asked{Pages: farindex.Distributions, Longest: stale.Longest}, stale, "pages that are stale are asked for again, and nothing else")

			for _, file := range []string{"pylock.toml", "pyproject.toml"} {
				s.Output("cp", file, second.Dir)
			}
			mate := drive.NewTerminal(t, second.Dir)
			mate.Output("glassjar", "index", "add", "far", server.URL+"/simple/")
			mate.Removes(filepath.Join(mate.Dir, ".jar"))
			mate.Output("glassjar", "recreate", "--python", drive.Default.Path)
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
	far.RoundTrip = wait.Longer(60 * time.Millisecond)
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
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	s.Output("glassjar", "index", "add", "private", server.URL+"/private/")
	s.Output("glassjar", "index", "add", "public", server.URL+"/simple/")
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	far.Asked()
	s.Output("glassjar", "install", "far0", "far1", "far2", "far3")
	first := far.Asked()
	assert.LessOrEqual(t, first.Longest, 2*farindex.Depth+3+1+slack)
	assert.LessOrEqual(t, first.Pages, 2*farindex.Distributions+1, "%+v", first)
	assert.Zero(t, astray.Load())
}

// The files of the jar come while other systems are still being solved for, where nobody is asked
// before, and only then.
func TestFilesComeWhileOthersAreSolvedFor(t *testing.T) {
	far := farindex.New()
	far.RoundTrip = wait.Longer(60 * time.Millisecond)
	require.NoError(t, far.Add("cask", "1.0", "py3-none-any", "Requires-Dist: hoop0; sys_platform == 'win32'"))
	for n := range 4 {
		require.NoError(t, far.Add(fmt.Sprint("hoop", n), "1.0", "py3-none-any", fmt.Sprintf("Requires-Dist: hoop%d", min(n+1, 3))))
	}
	s, _ := onFar(t, far)
	s.Output("glassjar", "install", "cask", "--plan")
	assert.Zero(t, far.Asked().Files, "a plan fetches nothing")
	s.Removes(filepath.Join(s.Home(), ".cache"))
	out := s.Output("glassjar", "install", "cask")
	asked := far.Asked()
	assert.Equal(t, []int{1, 1}, []int{asked.Files, asked.Early}, "%+v", asked)
	assert.Contains(t, out, "1 added")
	assert.NotContains(t, out, "here already")

	// Where it comes to nothing, nothing half is left, and nobody waits for it.
	require.NoError(t, far.Add("hoop3", "1.0", "py3-none-any", "Requires-Dist: hoop3>1"))
	require.NoError(t, far.Add("vat", "1.0", "py3-none-any", "Requires-Dist: hoop0; sys_platform == 'win32'"))
	second := s.Another()
	s.Removes(filepath.Join(s.Home(), ".cache"))
	require.NoError(t, os.WriteFile(filepath.Join(second.Dir, "pyproject.toml"), []byte("[project]\nname = \"p\"\nversion = \"1\"\n[tool.glassjar]\ntargets = [\"linux-x86_64\", \"windows-x86_64\"]\n"), 0o644))
	second.Output("glassjar", "create", "--python", drive.Default.Path)
	far.Asked()
	out, err := second.Try("glassjar", "install", "vat")
	require.Error(t, err, out)
	assert.Contains(t, out, "hoop3")
	assert.Equal(t, 1, far.Asked().Early)
	s.Output("glassjar", "store", "tidy", "--yes")
	second.Output("glassjar", "store", "verify")
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
	settings := s.Output("glassjar", "settings")
	assert.NotEmpty(t, settings)
	var group sync.WaitGroup
	var mu sync.Mutex
	records := map[string]int{}
	each := long.Times(3, 50)
	for worker := range 4 {
		home := filepath.Join(t.TempDir(), fmt.Sprint(worker))
		require.NoError(t, os.CopyFS(home, os.DirFS(s.Home())))
		group.Go(func() {
			for n := range each {
				one := &drive.Terminal{T: t, Dir: filepath.Join(home, fmt.Sprint("p", n)), Env: append([]string{"HOME=" + home}, s.Env[1:]...)}
				assert.NoError(t, os.MkdirAll(one.Dir, 0o755))
				one.Removes(filepath.Join(home, ".cache"))
				assert.NoError(t, os.WriteFile(filepath.Join(one.Dir, "pyproject.toml"), []byte(spec), 0o644))
				out, err := one.Try("glassjar", "record")
				assert.NoError(t, err, out)
				data, err := os.ReadFile(filepath.Join(one.Dir, "pylock.toml"))
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
		assert.Equal(t, 4*each, n)
	}
}

// An index that gives no hashes of metadata does not say whether wheels need the same. Where many
// would have to be read one is, the record says so, and where it proves false nothing changes.
func TestAssumedNeeds(t *testing.T) {
	other := ""
	for _, minor := range []string{"3.9", "3.10", "3.12", "3.13"} {
		if _, ok := drive.Pythons[minor]; ok && minor != drive.Default.Minor() {
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
	s.Output("glassjar", "install", "vat0", "vat1", "vat2")
	assert.Less(t, far.Asked().Metadata, 6)
	record, err := os.ReadFile(filepath.Join(s.Dir, "pylock.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(record), "needs-of = \"vat0-1.0-"+tagOf(drive.Default.Minor()))
	assert.Contains(t, s.Output("glassjar", "record"), "assumed")

	mate := s.Another()
	for _, file := range []string{"pylock.toml", "pyproject.toml"} {
		s.Output("cp", file, mate.Dir)
	}
	out, err := mate.Try("glassjar", "recreate", "--python", drive.Pythons[other].Path)
	require.Error(t, err)
	assert.Contains(t, out, "needs stave>=2")
	assert.Contains(t, out, "glassjar record --every-wheel vat0")
	assert.NoDirExists(t, filepath.Join(mate.Dir, ".jar"))
	mate.Output("glassjar", "record", "--every-wheel", "vat0")
	mate.Output("glassjar", "recreate", "--python", drive.Pythons[other].Path)
	assert.Contains(t, mate.Output("glassjar", "contents"), "stave")
	record, err = os.ReadFile(filepath.Join(mate.Dir, "pylock.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(record), "needs-of = \"every wheel\"")
	mate.Output("glassjar", "record")
	again, err := os.ReadFile(filepath.Join(mate.Dir, "pylock.toml"))
	require.NoError(t, err)
	assert.Equal(t, string(record), string(again), "what was read stays read")
}
