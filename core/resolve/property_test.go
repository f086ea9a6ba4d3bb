package resolve_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/resolve"
	"glassjar/core/version"
)

// oracle tries all assignments. A distribution that nothing needs is left out.
func oracle(c *catalogue, roots []resolve.Need) bool {
	var try func(chosen map[string]version.Version, open []resolve.Need) bool
	try = func(chosen map[string]version.Version, open []resolve.Need) bool {
		for i, n := range open {
			v, ok := chosen[n.Name]
			if ok && !n.Specifiers.Holds(v) {
				return false
			}
			if ok {
				continue
			}
			for _, candidate := range c.versions[n.Name] {
				next := map[string]version.Version{n.Name: candidate.Version}
				for k, v := range chosen {
					next[k] = v
				}
				if try(next, append(append([]resolve.Need{}, open...), c.needs[n.Name+" "+candidate.Version.String()]...)) {
					return true
				}
			}
			_ = i
			return false
		}
		return true
	}
	return try(map[string]version.Version{}, roots)
}

// valid checks a solution against what its provider says.
func valid(t *testing.T, c resolve.Provider, roots []resolve.Need, s *resolve.Solution) {
	chosen := map[string]version.Version{}
	for _, choice := range s.Choices {
		chosen[choice.Name] = choice.Version
	}
	all := slices.Clone(roots)
	for _, choice := range s.Choices {
		for _, extra := range append([]string{""}, choice.Extras...) {
			more, err := c.Needs(context.Background(), choice.Name, extra, choice.Version)
			require.NoError(t, err)
			all = append(all, more...)
		}
	}
	needed := map[string]bool{}
	for _, n := range all {
		needed[n.Name] = true
		v, ok := chosen[n.Name]
		require.True(t, ok && n.Specifiers.Holds(v), "%s with %v", n, chosen)
	}
	require.Len(t, chosen, len(needed), "something is chosen that nothing needs")
}

// Random reads problems near the border between solvable and not.
func random(r *rand.Rand, names, versions, needsEach int) (*catalogue, []resolve.Need) {
	var lines []string
	for n := range names {
		for v := range versions {
			var list []string
			for range r.IntN(needsEach + 1) {
				op := []string{"==", "<=", ">=", "!=", ""}[r.IntN(5)]
				need := fmt.Sprintf("p%d", r.IntN(names))
				if op != "" {
					need += fmt.Sprintf("%s%d", op, r.IntN(versions))
				}
				list = append(list, need)
			}
			lines = append(lines, fmt.Sprintf("p%d %d -> %s", n, v, strings.Join(list, ";")))
		}
	}
	c := read(strings.Join(lines, "\n"))
	return c, needs(fmt.Sprintf("p0;p1;p2>=%d", r.IntN(versions)))
}

func TestAgreesWithTryingEverything(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	solvable := 0
	for range 4000 {
		c, roots := random(r, 4+r.IntN(3), 2+r.IntN(3), 3)
		s, err := resolve.Solve(context.Background(), c, resolve.Problem{Roots: roots})
		want := oracle(c, roots)
		if want {
			solvable++
			require.NoError(t, err)
			valid(t, c, roots, s)
			continue
		}
		var failure *resolve.Failure
		require.ErrorAs(t, err, &failure)
		require.NotEmpty(t, failure.Facts)
	}
	// Both answers must be common, or the comparison shows little.
	assert.Greater(t, solvable, 800)
	assert.Less(t, solvable, 3600)
}

// with keeps of a problem what some facts say: their needs and roots, and all versions.
func with(c *catalogue, roots []resolve.Need, facts []resolve.Fact) (*catalogue, []resolve.Need) {
	out := &catalogue{c.versions, map[string][]resolve.Need{}, map[string]bool{}}
	var kept []resolve.Need
	for _, f := range facts {
		for _, n := range f.Needs {
			for _, root := range roots {
				if f.Name == "" && root.String() == n.String() {
					kept = append(kept, root)
				}
			}
		}
	}
	for key, list := range c.needs {
		name, v, _ := strings.Cut(key, " ")
		for _, n := range list {
			if slices.ContainsFunc(facts, func(f resolve.Fact) bool {
				return f.Name == name && slices.ContainsFunc(f.Versions, version.MustParse(v).Equal) && slices.ContainsFunc(f.Needs, func(m resolve.Need) bool { return m.String() == n.String() })
			}) {
				out.needs[key] = append(out.needs[key], n)
			}
		}
	}
	return out, kept
}

// An explanation proves what it says, and says nothing that is not needed for that.
func TestExplanationsAreMinimal(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	explained := 0
	for range 1500 {
		c, roots := random(r, 4+r.IntN(3), 2+r.IntN(3), 3)
		_, err := resolve.Solve(context.Background(), c, resolve.Problem{Roots: roots})
		var failure *resolve.Failure
		if !errors.As(err, &failure) {
			continue
		}
		explained++
		require.False(t, oracle(with(c, roots, failure.Facts)), "the facts do not prove it: %v", failure.Facts)
		for i, f := range failure.Facts {
			rest := append(slices.Clone(failure.Facts[:i]), failure.Facts[i+1:]...)
			require.True(t, oracle(with(c, roots, rest)), "%v says nothing", f)
		}
	}
	assert.Greater(t, explained, 100)
}

func TestSameAnswerEveryTime(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 50 {
		c, roots := random(r, 12, 6, 3)
		first, err := solve(c, resolve.Problem{Roots: roots})
		again, err2 := solve(c, resolve.Problem{Roots: roots})
		assert.Equal(t, first, again)
		assert.Equal(t, err == nil, err2 == nil)
	}
}

// mixed reads problems with extras and versions that cannot be chosen.
func mixed(r *rand.Rand) (*catalogue, []resolve.Need) {
	const names = 5
	var lines []string
	want := func() string {
		text := fmt.Sprintf("p%d", r.IntN(names))
		if r.IntN(4) == 0 {
			text += "[x]"
		}
		if r.IntN(3) > 0 {
			text += fmt.Sprintf("%s%d", []string{"==", "<=", ">=", "!="}[r.IntN(4)], r.IntN(3))
		}
		return text
	}
	list := func(most int) string {
		var out []string
		for range r.IntN(most + 1) {
			out = append(out, want())
		}
		return strings.Join(out, ";")
	}
	for n := range names {
		for v := range 3 {
			mark := []string{"", "", "", "", " python", " nofile"}[r.IntN(6)]
			lines = append(lines, fmt.Sprintf("p%d %d%s -> %s", n, v, mark, list(2)), fmt.Sprintf("p%d %d [x] -> %s", n, v, list(2)))
		}
	}
	return read(strings.Join(lines, "\n")), needs(strings.Join([]string{want(), want(), want()}, ";"))
}

// possible tries all assignments, with extras: a set of (name, extra) that are
// wanted grows with what is chosen.
func possible(c *catalogue, roots []resolve.Need) bool {
	var try func(chosen map[string]resolve.Candidate, on map[string]bool, open []resolve.Need) bool
	try = func(chosen map[string]resolve.Candidate, on map[string]bool, open []resolve.Need) bool {
		for _, n := range open {
			have, ok := chosen[n.Name]
			if !ok {
				for _, candidate := range c.versions[n.Name] {
					next, extras := map[string]resolve.Candidate{n.Name: candidate}, map[string]bool{}
					for k, v := range chosen {
						next[k] = v
					}
					for k := range on {
						extras[k] = true
					}
					more := append(append([]resolve.Need{}, open...), c.needs[n.Name+" "+candidate.Version.String()]...)
					if try(next, extras, more) {
						return true
					}
				}
				return false
			}
			if !n.Specifiers.Holds(have.Version) {
				return false
			}
			for _, e := range n.Extras {
				if key := n.Name + "[" + e + "]"; !on[key] {
					extras := map[string]bool{key: true}
					for k := range on {
						extras[k] = true
					}
					return try(chosen, extras, append(append([]resolve.Need{}, open...), c.needs[n.Name+" "+have.Version.String()+"["+e+"]"]...))
				}
			}
		}
		for _, candidate := range chosen {
			if candidate.Unfit != resolve.Fit {
				return false
			}
		}
		return true
	}
	return try(map[string]resolve.Candidate{}, map[string]bool{}, roots)
}

// elsewhere is a problem as another environment has it: other needs besides, other versions that
// do not fit, another order.
func elsewhere(r *rand.Rand, c *catalogue) *catalogue {
	out := &catalogue{map[string][]resolve.Candidate{}, map[string][]resolve.Need{}, map[string]bool{}}
	for n := range len(c.versions) {
		name := fmt.Sprint("p", n)
		list := slices.Clone(c.versions[name])
		for i := range list {
			if r.IntN(6) == 0 {
				list[i].Unfit = []int{resolve.Fit, resolve.NoFile}[r.IntN(2)]
			}
			for _, key := range []string{fmt.Sprint(name, " ", list[i].Version), fmt.Sprint(name, " ", list[i].Version, "[x]")} {
				out.needs[key] = c.needs[key]
				if r.IntN(4) == 0 {
					more := needs(fmt.Sprintf("p%d!=%d", r.IntN(len(c.versions)), r.IntN(3)))
					more[0].Here = true
					out.needs[key] = append(more, out.needs[key]...)
				}
			}
		}
		if r.IntN(3) == 0 {
			slices.Reverse(list)
		}
		out.versions[name] = list
	}
	return out
}

// With extras and unfit versions the answers agree as well, also where others were solved for
// before and what was learned there is known.
func TestAgreesOnExtrasAndUnfitVersions(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	solvable, refused := 0, 0
	var first *catalogue
	var roots []resolve.Need
	var learned *resolve.Learned
	for n := range 6000 {
		if n%4 == 0 {
			first, roots = mixed(r)
			learned = &resolve.Learned{}
		}
		c := elsewhere(r, first)
		s, err := resolve.Solve(context.Background(), c, resolve.Problem{Roots: roots, Learned: learned})
		if possible(c, roots) {
			solvable++
			require.NoError(t, err, "problem %d", n)
			for _, choice := range s.Choices {
				for _, candidate := range c.versions[choice.Name] {
					if candidate.Version.Equal(choice.Version) {
						require.NotContains(t, []int{resolve.Python, resolve.NoFile}, candidate.Unfit)
					}
				}
				for _, need := range choice.Needs {
					require.True(t, met(s, need), "%s of %s", need, choice.Name)
				}
			}
			for _, need := range roots {
				require.True(t, met(s, need), need.String())
			}
			continue
		}
		refused++
		var failure *resolve.Failure
		require.ErrorAs(t, err, &failure, "problem %d", n)
	}
	assert.Greater(t, solvable, 500)
	assert.Greater(t, refused, 500)
}

// What was hard for one environment is not for the next one that a marker tells apart.
func TestWhatWasLearnedElsewhereIsKnown(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	hard := 0
	alone, known := 0, 0
	for hard < 20 {
		c, roots := random(r, 60, 8, 4)
		before, err := resolve.Solve(context.Background(), c, resolve.Problem{Roots: roots})
		if err != nil || before.Conflicts < 20 {
			continue
		}
		hard++
		learned := &resolve.Learned{}
		_, err = resolve.Solve(context.Background(), c, resolve.Problem{Roots: roots, Learned: learned})
		require.NoError(t, err)
		more := needs("own")
		more[0].Here = true
		c.needs["own 1.0"], c.versions["own"] = nil, []resolve.Candidate{{Version: version.MustParse("1.0")}}
		after, err := resolve.Solve(context.Background(), c, resolve.Problem{Roots: append(more, roots...), Learned: learned})
		require.NoError(t, err)
		alone, known = alone+before.Conflicts, known+after.Conflicts
	}
	t.Logf("%d conflicts, and %d where that is known", alone, known)
	assert.Less(t, 2*known, alone)
}
