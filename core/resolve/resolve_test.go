package resolve_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/version"
)

// catalogue is a provider made from lines such as "a 1.0 -> b>=2; c". A name
// in brackets belongs to an extra: "a 1.0 [x] -> d". A version may be marked
// "yanked", "pre", "python", "nofile".
type catalogue struct {
	versions map[string][]resolve.Candidate
	needs    map[string][]resolve.Need
	asked    map[string]bool
}

func needs(text string) []resolve.Need {
	var out []resolve.Need
	for _, one := range strings.Split(text, ";") {
		if strings.TrimSpace(one) == "" {
			continue
		}
		r := requirement.MustParse(one)
		out = append(out, resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers, URL: r.URL})
	}
	return out
}

var marks = map[string]int{"yanked": resolve.Yanked, "pre": resolve.Prerelease, "python": resolve.Python, "nofile": resolve.NoFile}

func read(text string) *catalogue {
	c := &catalogue{map[string][]resolve.Candidate{}, map[string][]resolve.Need{}, map[string]bool{}}
	for _, line := range strings.Split(strings.TrimSpace(text), "\n") {
		head, tail, _ := strings.Cut(line, "->")
		words := strings.Fields(head)
		name, v := words[0], version.MustParse(words[1])
		key := name + " " + v.String()
		if len(words) > 2 && words[2][0] == '[' {
			c.needs[key+words[2]] = needs(tail)
			continue
		}
		candidate := resolve.Candidate{Version: v}
		if len(words) > 2 {
			candidate.Unfit = marks[words[2]]
		}
		c.versions[name] = append(c.versions[name], candidate)
		c.needs[key] = needs(tail)
	}
	for _, list := range c.versions {
		sort.SliceStable(list, func(i, j int) bool { return list[j].Version.Less(list[i].Version) })
	}
	return c
}

func (c *catalogue) Candidates(_ context.Context, name string) ([]resolve.Candidate, error) {
	return c.versions[name], nil
}

func (c *catalogue) Needs(_ context.Context, name, extra string, v version.Version) ([]resolve.Need, error) {
	key := name + " " + v.String()
	if extra != "" {
		key += "[" + extra + "]"
	}
	c.asked[key] = true
	return c.needs[key], nil
}

func (c *catalogue) Expect([]resolve.Need) {}

func (c *catalogue) ExpectVersions(string, []version.Version) func() { return func() {} }

func solve(c *catalogue, p resolve.Problem) (string, error) {
	s, err := resolve.Solve(context.Background(), c, p)
	if err != nil {
		return "", err
	}
	var parts []string
	for _, choice := range s.Choices {
		text := choice.Name
		if len(choice.Extras) > 0 {
			text += "[" + strings.Join(choice.Extras, ",") + "]"
		}
		parts = append(parts, text+" "+choice.Version.String())
	}
	return strings.Join(parts, ", "), nil
}

func TestSolve(t *testing.T) {
	for _, c := range []struct{ name, catalogue, roots, keep, want string }{
		{"newest", "a 1\na 2", "a", "", "a 2"},
		{"chain", "a 1 -> b\na 2 -> b>=2\nb 1\nb 2\nb 3", "a", "", "a 2, b 3"},
		{"diamond", "a 1 -> c<2\nb 1 -> c\nc 1\nc 2", "b; a", "", "a 1, b 1, c 1"},
		{"goes back", "a 1\na 2 -> b<2\nb 1\nb 2", "a; b>=2", "", "a 1, b 2"},
		{"root order decides", "a 1\na 2 -> b==1\nb 1\nb 2", "b; a", "", "a 1, b 2"},
		{"and the other way", "a 1\na 2 -> b==1\nb 1\nb 2", "a; b", "", "a 2, b 1"},
		{"keeps the record", "a 1\na 2 -> b\nb 1\nb 2", "a; b", "a 1", "a 1, b 2"},
		{"keeps while it fits", "a 1\na 2", "a>1", "a 1", "a 2"},
		{"extra", "a 1 -> b\na 1 [x] -> c\nb 1\nc 1", "a[x]", "", "a[x] 1, b 1, c 1"},
		{"extra from two sides", "a 1\na 2\na 1 [x] -> c\na 2 [x] -> c>1\nc 1\nd 1 -> a[x]", "a; d", "", "a[x] 1, c 1, d 1"},
		{"extra of itself", "a 1\na 1 [all] -> a[x]; a[y]\na 1 [x] -> b\na 1 [y] -> c\nb 1\nc 1", "a[all]", "", "a[all,x,y] 1, b 1, c 1"},
		{"no unasked pre-release", "a 1\na 2rc1 pre", "a", "", "a 1"},
		{"asked pre-release", "a 1\na 2rc1 pre", "a>=2rc1", "", "a 2rc1"},
		{"pre-release that a need asks for", "a 1 pre\nb 1 -> a>=1.dev0", "b", "", "a 1, b 1"},
		{"no yanked", "a 1\na 2 yanked", "a", "", "a 1"},
		{"pinned yanked", "a 1\na 2 yanked", "a==2", "", "a 2"},
		{"not for this python", "a 1\na 2 python", "a", "", "a 1"},
		{"cycle", "a 1 -> b\nb 1 -> a", "a", "", "a 1, b 1"},
		{"epoch and local", "a 1!1+x\na 9", "a", "", "a 1!1+x"},
	} {
		p := resolve.Problem{Roots: needs(c.roots), Keep: map[string]version.Version{}}
		if f := strings.Fields(c.keep); len(f) == 2 {
			p.Keep[f[0]] = version.MustParse(f[1])
		}
		got, err := solve(read(c.catalogue), p)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.want, got, c.name)
	}
}

func TestAsksOnlyForWhatCanBeChosen(t *testing.T) {
	c := read("a 1\na 2\na 3\nb 1 -> a<3\nb 2 python -> a<1")
	_, err := solve(c, resolve.Problem{Roots: needs("a<3; b")})
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{"a 2": true, "b 1": true}, c.asked)
}

func TestFailuresNameTheFewestFacts(t *testing.T) {
	for _, c := range []struct{ name, catalogue, roots, want string }{
		{"two roots", "a 1\na 2\nb 1", "a<2; b; a>=2", " a<2 | a>=2"},
		{"two needs", "a 1 -> c<2\nb 1 -> c>=2\nc 1\nc 2\nd 1", "a; d; b", " a | b |a 1 c<2|b 1 c>=2"},
		{"unknown", "a 1 -> ghost", "a", " a|a 1 ghost"},
		{"only yanked", "a 1 yanked", "a", " a|a 1 unfit 3"},
		{"python", "a 1 python\na 2 python\nb 1", "b; a", " a|a 1,2 unfit 2"},
		{"deep", "a 1 -> b\nb 1 -> c\nc 1 -> d<2\nd 1\nd 2", "a; d>=2", " a| d>=2|a 1 b|b 1 c|c 1 d<2"},
	} {
		_, err := solve(read(c.catalogue), resolve.Problem{Roots: needs(c.roots)})
		var failure *resolve.Failure
		require.True(t, errors.As(err, &failure), c.name)
		var parts []string
		for _, f := range failure.Facts {
			var versions, list []string
			for _, v := range f.Versions {
				versions = append(versions, v.String())
			}
			for _, n := range f.Needs {
				list = append(list, n.String())
			}
			text := strings.Join([]string{f.Name, strings.Join(versions, ","), strings.Join(list, ",")}, " ")
			if f.Unfit != resolve.Fit {
				text += fmt.Sprintf("unfit %d", f.Unfit)
			}
			parts = append(parts, strings.TrimPrefix(text, " "))
		}
		assert.Equal(t, strings.ReplaceAll(c.want, " |", "|"), strings.Join(parts, "|"), c.name)
	}
}

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

// met reports whether a solution has what a need asks for, extras included.
func met(s *resolve.Solution, need resolve.Need) bool {
	for _, c := range s.Choices {
		if c.Name != need.Name || !need.Specifiers.Holds(c.Version) {
			continue
		}
		for _, e := range need.Extras {
			if !strings.Contains(" "+strings.Join(c.Extras, " ")+" ", " "+e+" ") {
				return false
			}
		}
		return true
	}
	return false
}

// If nothing but pre-releases meets a need, they are taken, whatever else there is.
func TestOnlyPrereleasesMeetANeed(t *testing.T) {
	c := read("a 2.0rc1 pre\na 2.0b1 pre\na 1.0\nb 1.0 -> a>=2.0a0\nc 1.0 -> a>1.5")
	for want, gets := range map[string]string{"a": "1.0", "a>1.0": "2.0rc1", "c": "2.0rc1", "a>=1.0": "1.0"} {
		s, err := resolve.Solve(context.Background(), c, resolve.Problem{Roots: needs(want)})
		require.NoError(t, err, want)
		assert.Equal(t, gets, s.Choices[0].Version.String(), want)
	}
	_, err := resolve.Solve(context.Background(), read("a 2.0rc1 pre\na 2.1 nofile\na 1.0"), resolve.Problem{Roots: needs("a>1.5")})
	assert.Error(t, err, "there is a final that fits, and has no file here")
}

// More pigeons than holes is hard for any solver: it tells that it is at work, and ends
// with its context, in the search as in the explanation.
func TestHardProblemsCanBeInterrupted(t *testing.T) {
	var b strings.Builder
	const holes = 11
	for p := range holes + 1 {
		for h := range holes {
			fmt.Fprintf(&b, "pigeon%d %d -> hole%d==%d\n", p, h, h, p)
		}
	}
	for h := range holes {
		for p := range holes + 1 {
			fmt.Fprintf(&b, "hole%d %d\n", h, p)
		}
	}
	var roots []string
	for p := range holes + 1 {
		roots = append(roots, fmt.Sprintf("pigeon%d", p))
	}
	ctx, cancel := context.WithCancel(context.Background())
	told := 0
	_, err := resolve.Solve(ctx, read(b.String()), resolve.Problem{Roots: needs(strings.Join(roots, ";")), Working: func(int) {
		if told++; told == 5 {
			cancel()
		}
	}})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, 5, told)
}
