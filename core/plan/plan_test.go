package plan_test

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
	_ "glassjar/internal/long"
)

var ctx = context.Background()

// shelf is a source of a test: lines "name version [on SYSTEM]: need, need; marker". A
// version that is on a system has a file there only.
type shelf struct {
	env   target.Environment
	lines []string
	keep  map[string]version.Version
	base  string // "name version" that is of the base
	fails error  // what asking for any needs gives
	like  bool   // environments of one system are one
	looks *int   // how often candidates were asked for
}

func (s shelf) each(name string, do func(v version.Version, fits bool, needs string)) {
	for _, line := range s.lines {
		head, needs, _ := strings.Cut(line, ":")
		words := strings.Fields(head)
		if words[0] == name {
			do(version.MustParse(words[1]), len(words) < 4 || strings.HasPrefix(s.env.Target, words[3]), needs)
		}
	}
}

func (s shelf) Candidates(_ context.Context, name string) (out []resolve.Candidate, err error) {
	if s.looks != nil {
		*s.looks++
	}
	s.each(name, func(v version.Version, fits bool, _ string) {
		c := resolve.Candidate{Version: v}
		if !fits {
			c.Unfit = resolve.NoFile
		}
		out = append(out, c)
	})
	return out, nil
}

func (s shelf) Needs(_ context.Context, name, extra string, want version.Version) (out []resolve.Need, err error) {
	s.each(name, func(v version.Version, _ bool, needs string) {
		if !v.Equal(want) {
			return
		}
		for _, text := range strings.Split(needs, ",") {
			if strings.TrimSpace(text) == "" {
				continue
			}
			r := requirement.MustParse(strings.TrimSpace(text))
			if r.Marker.Holds(s.env.Markers) == (extra == "") && r.Marker.Holds(s.env.Markers, extra) {
				out = append(out, resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers})
			}
		}
	})
	return out, s.fails
}

func (s shelf) Expect([]resolve.Need) {}

func (s shelf) ExpectVersions(string, []version.Version) func() { return func() {} }

func (s shelf) AnswersLike(_ context.Context, other resolve.Provider) bool {
	system, _, _ := strings.Cut(s.env.Target, "-")
	return s.like && strings.HasPrefix(other.(shelf).env.Target, system)
}

func (s shelf) File(_ context.Context, name string, v version.Version) (*index.File, error) {
	if s.base == name+" "+v.String() {
		return nil, nil
	}
	var f *index.File
	s.each(name, func(have version.Version, fits bool, _ string) {
		if have.Equal(v) && fits {
			f = &index.File{Name: fmt.Sprintf("%s-%s-py3-none-any.whl", name, v), Distribution: name, Version: v}
		}
	})
	if f == nil {
		return nil, errors.New("no file")
	}
	return f, nil
}

func solver(lines ...string) plan.Solver {
	return plan.Solver{Origin: func(a project.Asked) string { return a.File }, Refused: func(err error) bool { return err != nil && err.Error() == "refused" },
		Source: func(env target.Environment, keep map[string]version.Version) plan.Source {
			return shelf{env: env, lines: lines, keep: keep}
		}}
}

func asked(texts ...string) (out []project.Asked) {
	for _, text := range texts {
		part, want := project.ReadAsks(text)
		out = append(out, project.Asked{Requirement: requirement.MustParse(want), Part: part, File: "pyproject.toml"})
	}
	return out
}

func at(os string, minor int) target.Target {
	return target.Target{OS: os, Arch: "x86_64", Implementation: "cpython", Major: 3, Minor: minor}
}

func texts(list []plan.Choice) string {
	var out []string
	for _, c := range list {
		text := c.Name + " " + c.Version.String()
		if c.Asked {
			text += "!"
		}
		out = append(out, text)
	}
	return strings.Join(out, ", ")
}

func ask(roots ...string) plan.Ask {
	own := at("linux", 12)
	return plan.Ask{Roots: asked(roots...), Targets: []target.Target{at("linux", 12), at("windows", 12)}, Own: own, Environment: own.Environment()}
}

func TestSolve(t *testing.T) {
	s := solver("press 2.0: juice>=2", "press 1.0: juice", "juice 1.0:", "cloth 1.0: juice<1")
	env := at("linux", 12).Environment()
	got, solution, err := s.Solve(ctx, env, asked("press", "cider; sys_platform == 'win32'"), resolve.Problem{})
	require.NoError(t, err)
	assert.Equal(t, "juice 1.0, press 1.0!", texts(got))
	assert.Len(t, solution.Choices, 2)
	assert.Equal(t, []string{"press"}, got[0].NeededBy)
	assert.Equal(t, "press-1.0-py3-none-any.whl", got[1].File.Name)

	// What would help is told: each root of the proof without its own bounds.
	_, _, err = s.Solve(ctx, env, asked("press>=2", "juice"), resolve.Problem{})
	var failure *plan.SolveError
	require.ErrorAs(t, err, &failure)
	assert.Equal(t, map[string]string{"press>=2": "1.0"}, failure.Fits)
	assert.Equal(t, "CPython 3.12 on linux-x86_64", failure.Environment)
	assert.ErrorAs(t, err, new(*resolve.Failure))
	_, _, err = s.Solve(ctx, env, asked("cloth"), resolve.Problem{})
	require.ErrorAs(t, err, &failure)
	assert.Empty(t, failure.Fits)

	s.Source = func(env target.Environment, _ map[string]version.Version) plan.Source {
		return shelf{env: env, lines: []string{"press 1.0:"}, base: "press 1.0"}
	}
	got, _, err = s.Solve(ctx, env, asked("press"), resolve.Problem{})
	require.NoError(t, err)
	assert.True(t, got[0].Provided)
	broken := errors.New("a stalled page")
	s.Source = func(env target.Environment, _ map[string]version.Version) plan.Source {
		return shelf{env: env, lines: []string{"press 1.0:"}, fails: broken}
	}
	_, _, err = s.Solve(ctx, env, asked("press"), resolve.Problem{})
	assert.ErrorIs(t, err, broken)
}

// One version serves all targets where it can, and only where it cannot there are two.
func TestSolveAll(t *testing.T) {
	s := solver("press 2.0 on linux: juice; sys_platform == 'linux'", "press 1.0:", "juice 1.0:", "label 1.0: press", "bees 1.0 on linux:")
	var told int
	s.Report = func(progress.Event) { told++ }
	u, err := s.SolveAll(ctx, ask("label", "group tests: juice", "extra shop: bees"))
	require.NoError(t, err)
	assert.Len(t, u.Served, 1, "bees are not to be had on Windows")
	assert.NotZero(t, told)
	assert.Equal(t, []project.LeftOut{{Targets: []string{"windows-x86_64 3.12"}, Why: "asked for is bees; bees has no file for it"}}, u.LeftOut())
	var ahead []string
	s.Ahead = func(_ context.Context, chosen []resolve.Choice, others []target.Environment) {
		for _, c := range chosen {
			ahead = append(ahead, c.Name)
		}
		assert.Len(t, others, 2)
	}
	_, err = s.SolveAll(ctx, ask("label"))
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"label", "press", "juice"}, ahead)
	told = 0
	_, err = s.SolveAll(ctx, ask("label", "press<1"))
	assert.ErrorAs(t, err, new(*plan.SolveError))
	assert.Zero(t, told, "where the jar has no solution no other target is worked on")
	must := ask("label", "bees")
	must.All = true
	_, err = s.SolveAll(ctx, must)
	assert.ErrorAs(t, err, new(*plan.SolveError))

	u, err = s.SolveAll(ctx, ask("label", "press; sys_platform == 'win32'"))
	require.NoError(t, err)
	assert.Equal(t, "juice 1.0, label 1.0!, press 2.0", texts(u.Parts(project.Parts{})), "press is not asked for here")

	u, err = s.SolveAll(ctx, ask("label", "group tests: juice"))
	require.NoError(t, err)
	assert.Equal(t, "juice 1.0!, label 1.0!, press 2.0", texts(u.Choices))
	assert.Equal(t, "juice 1.0, label 1.0!, press 2.0", texts(u.Parts(project.Parts{})), "juice is asked for by the tests alone")
	assert.Equal(t, "juice 1.0!", texts(u.Parts(project.Parts{Only: true, Groups: []string{"tests"}})))
	assert.Empty(t, u.LeftOut())

	var described []string
	list, err := u.Entries(func(name string, v version.Version) (project.Package, error) {
		described = append(described, name+" "+v.String())
		return project.Package{Name: name, Version: v}, nil
	})
	require.NoError(t, err)
	assert.Equal(t, []string{"juice 1.0", "label 1.0", "press 1.0", "press 2.0"}, described)
	var got []string
	for _, e := range list {
		line := e.Name + " " + e.Version.String() + ";" + e.Marker.String()
		for _, d := range e.Dependencies {
			line += " >" + d.Name + " " + d.Version.String()
		}
		got = append(got, line)
	}
	assert.Equal(t, []string{`juice 1.0;"tests" in dependency_groups or sys_platform != "win32"`, `label 1.0; >press 1.0 >press 2.0`, `press 1.0;sys_platform != "linux"`, `press 2.0;sys_platform != "win32" >juice `}, got)
	_, err = u.Entries(func(string, version.Version) (project.Package, error) { return project.Package{}, errors.New("no") })
	assert.Error(t, err)

	f, err := u.FileOf(ctx, "press", version.MustParse("1.0"))
	require.NoError(t, err, "it serves Windows")
	assert.Equal(t, "press-1.0-py3-none-any.whl", f.Name)
	_, err = u.FileOf(ctx, "press", version.MustParse("7"))
	assert.Error(t, err)
}

// A wheel that stands for others of its release is not looked at; the others are, in their
// environment.
func TestAssumptions(t *testing.T) {
	entry := func(of string) string {
		return "[[packages]]\nname = \"bees\"\nversion = \"4.0\"\nwheels = [{url = \"https://a.example/bees-4.0-py3-none-any.whl\", hashes = {sha256 = \"" + strings.Repeat("ab", 32) + "\"}}]\ntool.glassjar = { needs-of = \"" + of + "\" }\n"
	}
	env := at("linux", 12).Environment()
	pick := func(of string) plan.Choice {
		r := recordWith(t, entry(of))
		r.Asked = append(r.Asked, "bees")
		got, err := plan.FromRecord(r, env, project.Parts{}, nil)
		require.NoError(t, err)
		for _, c := range got {
			if c.Name == "bees" {
				return c
			}
		}
		t.Fatal("there are no bees")
		return plan.Choice{}
	}
	assert.Nil(t, pick("bees-4.0-py3-none-any.whl").Assumed)
	assert.Nil(t, pick(project.EveryWheel).Assumed)
	c := pick("bees-4.0-cp38-cp38-win_amd64.whl")
	require.NotNil(t, c.Assumed)
	assert.ErrorContains(t, c.Assumed.Check(c, metadata.Metadata{RequiresPython: version.MustParseSpecifiers("<3")}), "needs Python <3")
	for need, ok := range map[string]bool{"juice>=2": true, "juice": true, "juice<2": false, "honey": false, "honey; sys_platform == 'win32'": true, "honey; extra == 'wax'": true} {
		err := c.Assumed.Check(c, metadata.Metadata{Requires: []requirement.Requirement{requirement.MustParse(need)}})
		var assumed *plan.AssumedError
		assert.Equal(t, !ok, errors.As(err, &assumed), need)
		if !ok {
			assert.Equal(t, "bees-4.0-cp38-cp38-win_amd64.whl", assumed.From)
			assert.ErrorContains(t, err, "bees-4.0-py3-none-any.whl needs "+need)
		}
	}
}

// Targets that nothing tells apart are solved once, the jar's own with them.
func TestTargetsThatNothingTellsApartAreOne(t *testing.T) {
	for _, c := range []struct {
		like  bool
		looks int
	}{{false, 16}, {true, 4}} {
		looks := 0
		s := solver()
		s.Source = func(env target.Environment, keep map[string]version.Version) plan.Source {
			return shelf{env: env, lines: []string{"press 2.0 on linux:", "press 1.0:", "label 1.0: press; sys_platform == 'win32'"}, keep: keep, like: c.like, looks: &looks}
		}
		all := ask("label", "press; sys_platform == 'linux'")
		for _, minor := range []int{11, 10} {
			for _, system := range []string{"linux", "windows"} {
				all.Targets = append(all.Targets, at(system, minor))
			}
		}
		u, err := s.SolveAll(ctx, all)
		require.NoError(t, err)
		assert.Len(t, u.Served, 6)
		assert.Equal(t, c.looks, looks)
		assert.Equal(t, "label 1.0!, press 2.0!", texts(u.Choices))
		list, err := u.Entries(func(name string, v version.Version) (project.Package, error) {
			return project.Package{Name: name, Version: v}, nil
		})
		require.NoError(t, err)
		assert.Len(t, list, 3, "press differs between the systems")
	}
}

func TestTheBaseIsNotReplaced(t *testing.T) {
	s := solver("press 2.0:", "press 1.0:")
	a := ask("press")
	a.Base = map[string]version.Version{"press": version.MustParse("1.0")}
	a.Problem.Keep = map[string]version.Version{"press": version.MustParse("2.0")}
	u, err := s.SolveAll(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, "press 1.0!", texts(u.Choices))
	list, err := u.Entries(nil)
	require.NoError(t, err)
	assert.Empty(t, list, "every machine that has the base has it")
}

// What an index refuses for another system stops nothing here; for the jar it does.
func TestRefused(t *testing.T) {
	for os, fails := range map[string]bool{"windows": false, "linux": true} {
		s := solver()
		s.Source = func(env target.Environment, _ map[string]version.Version) plan.Source {
			source := shelf{env: env, lines: []string{"press 1.0:"}}
			if strings.HasPrefix(env.Target, os) {
				source.fails = errors.New("refused")
			}
			return source
		}
		u, err := s.SolveAll(ctx, ask("press"))
		if fails {
			assert.Error(t, err)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, "refused", u.LeftOut()[0].Why)
	}
}

func TestCompare(t *testing.T) {
	choice := func(name, v, sum string) plan.Choice {
		return plan.Choice{Name: name, Version: version.MustParse(v), Asked: name == "press", File: index.File{Name: name + ".whl", Index: "orchard", Size: 10, Hashes: digest.Sums{SHA256: sum}}}
	}
	held := func(name, v, sum string) plan.Held {
		return plan.Held{Name: name, Version: version.MustParse(v), Package: sum}
	}
	damaged, stays := held("hurt", "1", "h"), held("stray", "1", "")
	damaged.Damaged, stays.Stays = true, true
	aim := plan.Aim{
		Choices: []plan.Choice{choice("zest", "1", "z"), choice("press", "2", "p2"), choice("same", "1.0", "s"), choice("other", "1", "o2"), choice("hurt", "1", "h"), {Name: "seen", Version: version.MustParse("3"), Provided: true}, choice("added", "1", "a")},
		Held:    []plan.Held{held("press", "1", "p1"), held("same", "1", "s"), held("other", "1", "o1"), damaged, stays, held("gone", "1", "g")},
		Named:   map[string]bool{"press": true, "gone": true},
		Why:     "nothing needs it",
		Here:    func(f index.File) bool { return f.SHA256() == "a" },
		Warnings: func(sum string) []string {
			if sum == "z" {
				return []string{"zest is odd"}
			}
			return nil
		},
	}
	names := func(list []plan.Item) string {
		var out []string
		for _, i := range list {
			out = append(out, strings.TrimSpace(i.Name+" "+i.From+" "+i.Version+" "+i.Why))
		}
		return strings.Join(out, ", ")
	}
	p := plan.New("/orchard/.jar")
	assert.True(t, p.Empty())
	steps := p.Compare(aim)
	assert.Equal(t, "added  1, zest  1", names(p.Add))
	assert.Equal(t, "press 1 2", names(p.Change))
	assert.Equal(t, "hurt  1 its files are not as they were installed, other  1 its files are from another package file", names(p.Mend))
	assert.Equal(t, "gone 1  nothing needs it", names(p.Remove))
	assert.Equal(t, "seen  3", names(p.Provided))
	assert.Equal(t, []string{"zest is odd"}, p.Notes)
	assert.Equal(t, 1, p.Kept)
	assert.EqualValues(t, 40, p.Fetch)
	assert.EqualValues(t, 10, p.HereBytes)
	assert.False(t, p.Empty())
	assert.True(t, p.FromFiles())
	assert.False(t, p.Beyond, "press and gone were named, and what is made anew keeps its version")
	assert.Equal(t, "zest 1, press 2!, other 1, hurt 1, added 1", texts(steps.Install))
	assert.Equal(t, []string{"press", "other", "hurt", "gone"}, steps.Remove)
	assert.Equal(t, map[string]bool{"same": false}, steps.Asked)

	// A person is asked about what goes beyond what was asked for.
	for _, c := range []struct {
		title  string
		change func(*plan.Aim)
		beyond bool
	}{
		{"another changes", func(a *plan.Aim) { delete(a.Named, "press") }, true},
		{"another goes", func(a *plan.Aim) { delete(a.Named, "gone") }, true},
		{"all of it was asked for", func(a *plan.Aim) { a.Named, a.Free = nil, true }, false},
		{"files belong to nothing", func(a *plan.Aim) { a.Drop = []string{"notes.txt"} }, true},
		{"it stays", func(a *plan.Aim) { delete(a.Named, "gone"); a.Held[5].Stays = true }, false},
	} {
		a := aim
		a.Named, a.Held = map[string]bool{"press": true, "gone": true}, append([]plan.Held(nil), aim.Held...)
		c.change(&a)
		p := plan.New("x")
		p.Compare(a)
		assert.Equal(t, c.beyond, p.Beyond, c.title)
	}
	clone := plan.New("x")
	clone.Add = []plan.Item{{Name: "press"}}
	assert.False(t, clone.FromFiles() || clone.Empty())
}

const record = `lock-version = "1.0"
created-by = "orchard"
environments = ["sys_platform == 'linux'"]
extras = ["shop"]
[[packages]]
name = "press"
version = "1.0"
dependencies = [{name = "juice"}]
wheels = [{path = "press-1.0-py2-none-any.whl", size = 1, hashes = {sha256 = "%[1]s"}}, {path = "press-1.0-2-py3-none-any.whl", size = 1, hashes = {sha256 = "%[1]s"}}, {path = "press-1.0-10-py3-none-any.whl", size = 1, hashes = {sha256 = "%[1]s"}}]
[[packages]]
name = "juice"
wheels = [{url = "https://a.example/juice-3.0-py3-none-any.whl", size = 1, hashes = {sha256 = "%[1]s"}}]
[[packages]]
name = "label"
marker = "'shop' in extras"
archive = {url = "file:///a/label-1.0-py3-none-any.whl", size = 1, hashes = {sha256 = "%[1]s"}}
%[2]s
[tool.glassjar]
asked = ["press", "extra shop: label", "group tests: bees"]
`

func recordWith(t *testing.T, more string) *project.Record {
	r, err := project.ParseRecord("/orchard/pylock.toml", fmt.Appendf(nil, record, strings.Repeat("ab", 32), more))
	require.NoError(t, err)
	return r
}

func TestFromRecord(t *testing.T) {
	env := at("linux", 12).Environment()
	got, err := plan.FromRecord(recordWith(t, ""), env, project.Parts{}, nil)
	require.NoError(t, err)
	assert.Equal(t, "juice 3.0, press 1.0!", texts(got))
	assert.Equal(t, "press-1.0-10-py3-none-any.whl", got[1].File.Name, "the highest build number")
	assert.Equal(t, []string{"press"}, got[0].NeededBy)
	assert.Equal(t, "record", got[0].File.Index)
	assert.True(t, got[0].File.Exact)

	got, err = plan.FromRecord(recordWith(t, ""), env, project.Parts{Only: true, Extras: []string{"shop"}}, nil)
	require.NoError(t, err)
	assert.Equal(t, "label 1.0!", texts(got))
	assert.Empty(t, got[0].File.Index, "it came from no index")
	local, _ := metadata.PathOf("file:///a/label-1.0-py3-none-any.whl")
	assert.Equal(t, local, got[0].File.Path)

	_, err = plan.FromRecord(recordWith(t, ""), at("windows", 12).Environment(), project.Parts{}, nil)
	var served *plan.NotServedError
	require.ErrorAs(t, err, &served)
	assert.Len(t, served.Serves, 1)
	sum := strings.Repeat("ab", 32)
	for more, fault := range map[string]string{
		"[[packages]]\nname = \"juice\"\nversion = \"4.0\"\nwheels = [{url = \"https://a.example/juice-4.0-py3-none-any.whl\", hashes = {sha256 = \"" + sum + "\"}}]\n":                             "two entries apply here",
		"[[packages]]\nname = \"bees\"\nversion = \"4.0\"\nsdist = {url = \"https://a.example/bees-4.0.tar.gz\", hashes = {sha256 = \"" + sum + "\"}}\n":                                            "no file of bees 4.0",
		"[[packages]]\nname = \"bees\"\nversion = \"4.0\"\nrequires-python = \">=3.13\"\nwheels = [{url = \"https://a.example/bees-4.0-py3-none-any.whl\", hashes = {sha256 = \"" + sum + "\"}}]\n": "no file of bees 4.0",
	} {
		_, err = plan.FromRecord(recordWith(t, more), env, project.Parts{}, nil)
		assert.ErrorContains(t, err, fault)
	}
	sources := "[[packages]]\nname = \"bees\"\nversion = \"4.0\"\nsdist = {url = \"https://a.example/bees-4.0.tar.gz\", hashes = {sha256 = \"" + sum + "\"}}\n" +
		"[[packages]]\nname = \"hive\"\ndirectory = {path = \"../hive\", editable = true, subdirectory = \"core\"}\n" +
		"[[packages]]\nname = \"wax\"\nversion = \"1.0\"\nvcs = {type = \"git\", url = \"https://a.example/wax\", requested-revision = \"v1\", commit-id = \"0123456789abcdef0123456789abcdef01234567\"}\n"
	_, err = plan.FromRecord(recordWith(t, sources), env, project.Parts{}, nil)
	var none *plan.NoFittingFileError
	require.ErrorAs(t, err, &none)
	assert.True(t, none.Sources)
	got, err = plan.FromRecord(recordWith(t, sources), env, project.Parts{}, func(f index.File) (index.File, error) {
		if f.Version.IsZero() {
			f.Version = version.MustParse("7")
		}
		return f, nil
	})
	require.NoError(t, err)
	assert.Equal(t, "bees 4.0, hive 7, juice 3.0, press 1.0!, wax 1.0", texts(got))
	assert.Equal(t, index.Tree{Folder: filepath.FromSlash("/hive"), Editable: true}, *got[1].File.Tree)
	assert.Equal(t, "core", got[1].File.Subdirectory)
	assert.Equal(t, index.Tree{Repository: "https://a.example/wax", Requested: "v1", Commit: "0123456789abcdef0123456789abcdef01234567"}, *got[4].File.Tree)
	_, err = plan.FromRecord(recordWith(t, strings.Replace(sources, "\"git\"", "\"svn\"", 1)), env, project.Parts{}, nil)
	assert.ErrorAs(t, err, &none)
	assert.NoError(t, plan.CheckPython(version.MustParseSpecifiers(">=3.8"), env))
	assert.ErrorContains(t, plan.CheckPython(version.MustParseSpecifiers(">=3.13"), env), "requires Python >=3.13")
}
