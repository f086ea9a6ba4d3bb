package resolve_test

import (
	"context"
	"errors"
	"fmt"
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
