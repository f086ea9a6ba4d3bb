package operation

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/interpreter"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
)

var ctx = context.Background()

// machine is one with folders of its own, standing in a project.
func machine(t *testing.T, spec string) *Machine {
	t.Setenv("GLASSJAR_HOME", t.TempDir())
	t.Setenv("VIRTUAL_ENV", "")
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.SpecFile), []byte(spec), 0o644))
	m, err := NewMachine(dir)
	require.NoError(t, err)
	return m
}

// here is the interpreter that the tests solve for; it is never started.
var here = interpreter.Interpreter{Path: "/usr/bin/python3.12", Said: interpreter.Answer{Version: "3.12.1", Implementation: "cpython", PythonImplementation: "CPython",
	SOABI: "cpython-312-x86_64-linux-gnu", Bits: 64, Machine: "x86_64", OSName: "posix", SysPlatform: "linux", PlatformSystem: "Linux"}, Libc: "glibc", LibcMajor: 2, LibcMinor: 36}

// recordOf solves a spec for all targets and gives the record.
func recordOf(t *testing.T, m *Machine) (*project.Record, *plan.Solutions, []project.Asked) {
	spec, err := project.ReadSpec(filepath.Join(m.Dir, project.SpecFile))
	require.NoError(t, err)
	p := newJob(m.Places().At(filepath.Join(m.Dir, place.JarFolder), place.Nearest))
	indexes, _ := m.indexes(spec)
	p.catalog, p.python = m.newCatalog(indexes), here
	roots := rootsOf(spec, resolveOptions{})
	u, err := m.solveAll(ctx, p, spec, roots, resolve.Problem{})
	require.NoError(t, err)
	data, err := m.recordText(ctx, p, spec, roots, u)
	require.NoError(t, err)
	record, err := project.ParseRecord(p.place.RecordFile, data)
	require.NoError(t, err)
	return record, u, roots
}

const everything = `[project]
name = "orchard"
version = "1.0"
dependencies = ["frost-watch", "tree-survey", "swarm-count", "co-op-day", "cellar-labels"]
[project.optional-dependencies]
charts = ["harvest-ledger[charts]"]
[dependency-groups]
hives = ["orchard-tools-hives", "pick-list; sys_platform == 'darwin'"]
`

// What the record gives each target is what solving for that target alone
// gives, but where another version already serves others as well.
func TestRecordServesEveryTarget(t *testing.T) {
	m := machine(t, everything)
	record, u, roots := recordOf(t, m)
	require.Len(t, u.Served, 28)
	shared := map[string]map[string]bool{}
	for _, p := range record.Packages {
		if shared[p.Name] == nil {
			shared[p.Name] = map[string]bool{}
		}
		shared[p.Name][p.Version.String()] = true
	}
	indexes, _ := m.indexes(nil)
	for _, at := range u.Served {
		got, err := plan.FromRecord(record, at.Environment(), jarParts("hives", "charts"), nil)
		require.NoError(t, err, at)
		_, alone, err := m.solver(ctx, m.newCatalog(indexes), nil).Solve(ctx, at.Environment(), roots, resolve.Problem{})
		require.NoError(t, err)
		have := map[string]string{}
		for _, s := range got {
			have[s.Name] = s.Version.String()
			_, fits := at.Environment().Ranks.Best(s.File.Wheel.Tags)
			assert.True(t, fits, "%s: %s", at, s.File.Name)
		}
		require.Len(t, have, len(alone.Choices), at)
		for _, c := range alone.Choices {
			if have[c.Name] != c.Version.String() {
				assert.True(t, shared[c.Name][have[c.Name]], "%s: %s %s, alone %s", at, c.Name, have[c.Name], c.Version)
			}
		}
	}
}

// The same spec gives the same bytes, whatever the machine has and in whatever
// order its indexes answer.
func TestRecordIsTheSameEverywhere(t *testing.T) {
	m := machine(t, everything)
	first, _, _ := recordOf(t, m)
	other := machine(t, everything)
	again, _, _ := recordOf(t, other)
	assert.Equal(t, string(first.Format()), string(again.Format()))
	assert.NotContains(t, string(first.Format()), m.Dir)
}

func TestReadWants(t *testing.T) {
	m := machine(t, everything)
	list, err := m.readWants(ctx, []string{"brixmeter>=1", "must-core", "BrixMeter<3", "sugar-curve[a]", "sugar-curve[b]"}, nil)
	require.NoError(t, err)
	var got []string
	for _, a := range list {
		got = append(got, a.Requirement.String())
	}
	assert.Equal(t, []string{"brixmeter<3,>=1", "must-core", "sugar-curve[a,b]"}, got)
	for _, bad := range []string{"brixmeter=>2", "-x", "./a.whl", "https://a.example/a.txt", "./x-1.0.tar.gz"} {
		var usage *UsageError
		_, err := m.readWants(ctx, []string{bad}, nil)
		assert.ErrorAs(t, err, &usage, bad)
	}
}

func TestRootsComeInTheOrderAsked(t *testing.T) {
	spec, err := project.ParseSpec("x", []byte("[project]\nname = \"x\"\ndependencies = [\"a\", \"b\", \"c\", \"d>1\"]\n"))
	require.NoError(t, err)
	asked := []project.Asked{{Requirement: requirement.MustParse("c")}, {Requirement: requirement.MustParse("d>1")}}
	var got []string
	for _, a := range rootsOf(spec, resolveOptions{asked: asked, known: map[string]bool{"c": true}}) {
		got = append(got, a.Name+":"+map[bool]string{true: "command", false: "spec"}[a.File == ""])
	}
	assert.Equal(t, []string{"c:spec", "d:command", "a:spec", "b:spec"}, got)
}
