package plan_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Parts that are asked for alone have the condition that they were asked for.
func TestEntriesOfParts(t *testing.T) {
	s := solver("press 1.0: juice", "juice 1.0:", "bees 1.0: juice", "hive 1.0:")
	u, err := s.SolveAll(ctx, ask("extra shop: press", "group tests: bees", "hive"))
	require.NoError(t, err)
	list, err := u.Entries(func(name string, v version.Version) (project.Package, error) {
		return project.Package{Name: name, Version: v}, nil
	})
	require.NoError(t, err)
	got := map[string]string{}
	for _, e := range list {
		got[e.Name] = e.Marker.String()
	}
	assert.Equal(t, map[string]string{"bees": `"tests" in dependency_groups`, "hive": "", "juice": `"shop" in extras or "tests" in dependency_groups`, "press": `"shop" in extras`}, got)
}

// closure are the names that some parts of a spec lead to, where each has one version; sorted.
func closure(s shelf, roots []project.Asked, holds project.Parts) (out []string) {
	seen := map[[2]string]bool{}
	var visit func(name string, extras ...string)
	visit = func(name string, extras ...string) {
		for _, extra := range append(extras, "") {
			if seen[[2]string{name, extra}] {
				continue
			}
			seen[[2]string{name, extra}] = true
			needs, _ := s.Needs(ctx, name, extra, version.MustParse("1.0"))
			for _, n := range needs {
				visit(n.Name, n.Extras...)
			}
		}
	}
	for _, a := range roots {
		if holds.Has(a.Part) && a.Marker.Holds(s.env.Markers) {
			visit(a.Key(), a.ExtraKeys()...)
		}
	}
	for step := range seen {
		if step[1] == "" {
			out = append(out, step[0])
		}
	}
	slices.Sort(out)
	return out
}

// With any parts and on any target a record has just what they lead to there.
func TestEntriesSayWhatPartsLeadTo(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	names := []string{"bees", "cider", "juice", "label", "must", "perry", "press"}
	markers := []string{"", "", "; sys_platform == 'linux'", "; python_version >= '3.12'", "; sys_platform == 'win32' and python_version < '3.12'", "; extra == 'hot'"}
	extras := []string{"", "", "", "[hot]"}
	parts := []string{"", "", "group tests: ", "group docs: ", "extra hot: "}
	one := func(list []string) string { return list[r.IntN(len(list))] }
	for round := range 150 {
		var lines, roots []string
		for i, name := range names {
			line := name + " 1.0:"
			for range r.IntN(3) {
				if i > 0 {
					line += " " + names[r.IntN(i)] + one(extras) + one(markers) + ","
				}
			}
			lines = append(lines, strings.TrimSuffix(line, ","))
		}
		for range 1 + r.IntN(5) {
			roots = append(roots, one(parts)+one(names)+one(extras)+one(markers[:5]))
		}
		all := ask(roots...)
		u, err := solver(lines...).SolveAll(ctx, all)
		require.NoError(t, err)
		entries, err := u.Entries(func(name string, v version.Version) (project.Package, error) {
			return project.Package{Name: name, Version: v}, nil
		})
		require.NoError(t, err)
		for _, target := range u.Served {
			for _, holds := range []project.Parts{{}, {Groups: []string{"tests"}}, {Groups: []string{"docs"}, Extras: []string{"hot"}}, {Extras: []string{"hot"}}, {Groups: []string{"tests"}, Only: true}} {
				env := target.Environment()
				all.Own, all.Environment = target, env
				u, err := solver(lines...).SolveAll(ctx, all)
				require.NoError(t, err)
				var parted, got []string
				for _, c := range u.Parts(holds) {
					parted = append(parted, c.Name)
				}
				want := closure(shelf{env: env, lines: lines}, all.Roots, holds)
				if !holds.Only {
					require.ElementsMatch(t, want, parted, "round %d: %v for %v on %v of %q", round, roots, holds, target, lines)
				}
				here, _, err := plan.Applying(&project.Record{Packages: entries, Asked: roots}, env.Markers, holds)
				require.NoError(t, err)
				for name := range here {
					got = append(got, name)
				}
				slices.Sort(got)
				if holds.Only {
					require.Subset(t, got, want) // what a record's entries need has no conditions
					require.ElementsMatch(t, got, parted, "round %d: %v for %v on %v of %q", round, roots, holds, target, lines)
					continue
				}
				require.Equal(t, want, got, "round %d: %v for %v on %v of %q", round, roots, holds, target, lines)
			}
		}
	}
}

// A record that has several versions of a name stays what it is until somebody asks for more: each
// version is preferred where it belongs.
func TestSeveralVersionsStay(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	names := []string{"bees", "cider", "juice", "label", "must"}
	for round := range 150 {
		var lines, roots []string
		for i, name := range names {
			for _, v := range []string{"3.0", "2.0", "1.0"} {
				line := name + " " + v + []string{"", "", " on linux"}[r.IntN(3)] + ":"
				if i > 0 && r.IntN(2) == 0 {
					line += " " + names[r.IntN(i)] + []string{"", "<3", ">=2", "<3; python_version >= '3.12'", "; sys_platform == 'win32'"}[r.IntN(5)]
				}
				lines = append(lines, line)
			}
		}
		for range 1 + r.IntN(3) {
			roots = append(roots, names[r.IntN(len(names))]+[]string{"", "", "<3; sys_platform == 'win32'"}[r.IntN(3)])
		}
		record := &project.Record{}
		keep := map[string]version.Version{names[r.IntN(len(names))]: version.MustParse("2.0")}
		var before []string
		for again := range 3 {
			all := ask(roots...)
			all.Problem.Keep, all.Record = keep, record
			u, err := solver(lines...).SolveAll(ctx, all)
			if err != nil {
				break // nothing fits there, which is another test's business
			}
			record.Packages, err = u.Entries(func(name string, v version.Version) (project.Package, error) {
				return project.Package{Name: name, Version: v}, nil
			})
			require.NoError(t, err)
			var now []string
			keep = map[string]version.Version{}
			for _, e := range record.Packages {
				now = append(now, e.Name+" "+e.Version.String()+"; "+e.Marker.String())
				keep[e.Name] = e.Version
			}
			if again > 0 {
				require.Equal(t, before, now, "round %d: %v of %q", round, roots, lines)
			}
			before = now
		}
	}
}

// What was asked for is not moved back in the jar, nor where the record has it newer; where it is
// older, and where there is no other way, it stays what fits.
func TestFloors(t *testing.T) {
	lines := []string{"press 3.0 on linux: juice<2", "press 2.0: juice<3", "press 1.0:", "juice 2.0:", "juice 1.0:", "label 2.0: juice<2", "label 1.0: juice<2; sys_platform == 'win32'"}
	all := ask("label", "juice", "press")
	all.Targets = []target.Target{at("linux", 12), at("windows", 12), at("macos", 12)}
	all.Floor = map[string]version.Version{"juice": version.MustParse("2.0+local"), "ghost": version.MustParse("1")}
	entry := func(v, marker string) project.Package {
		return project.Package{Name: "juice", Version: version.MustParse(v), Marker: requirement.MustParseMarker(marker)}
	}
	for what, c := range map[string]struct {
		record *project.Record
		want   map[string]string
	}{
		"no record":           {nil, map[string]string{"linux": "juice 2.0, label 1.0, press 2.0", "windows": "juice 1.0, label 1.0, press 2.0"}},
		"older elsewhere":     {&project.Record{Packages: []project.Package{entry("2.0", "sys_platform == 'linux'"), entry("1.0", "sys_platform != 'linux'")}}, map[string]string{"linux": "juice 2.0, label 1.0, press 2.0", "windows": "juice 1.0, label 1.0, press 2.0"}},
		"as new elsewhere":    {&project.Record{Packages: []project.Package{entry("2.0", "")}}, map[string]string{"linux": "juice 2.0, label 1.0, press 2.0", "windows": "juice 1.0, label 1.0, press 2.0"}},
		"newer than there is": {&project.Record{Packages: []project.Package{entry("2.0", "sys_platform == 'linux'"), entry("9.0", "sys_platform != 'linux'")}}, map[string]string{"linux": "juice 2.0, label 1.0, press 2.0", "windows": "juice 1.0, label 1.0, press 2.0"}},
	} {
		all.Record = c.record
		u, err := solver(lines...).SolveAll(ctx, all)
		require.NoError(t, err, what)
		assert.Len(t, u.Served, 3, what)
		entries, err := u.Entries(func(name string, v version.Version) (project.Package, error) {
			return project.Package{Name: name, Version: v}, nil
		})
		require.NoError(t, err)
		for system, want := range c.want {
			var got []string
			for _, e := range entries {
				if e.Marker.Holds(at(system, 12).Environment().Markers) {
					got = append(got, e.Name+" "+e.Version.String())
				}
			}
			assert.Equal(t, want, strings.Join(got, ", "), "%s on %s", what, system)
		}
	}
	all.Floor["juice"] = version.MustParse("3")
	_, err := solver(lines...).SolveAll(ctx, all)
	assert.ErrorAs(t, err, new(*plan.SolveError))
}
