package version_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
)

func pick(r *rand.Rand, of ...string) string { return of[r.IntN(len(of))] }

// anyVersion draws from few numbers, so that versions meet and collide.
func anyVersion(r *rand.Rand, local bool) string {
	text := pick(r, "", "", "", "1!") + pick(r, "0", "1", "1.0", "1.0.0", "1.1", "1.9", "1.10", "2", "2.0.1") +
		pick(r, "", "", "", "a1", "b1", "rc1", "rc2") + pick(r, "", "", "", ".post0", ".post1", ".post2") + pick(r, "", "", "", ".dev0", ".dev1")
	if local {
		text += pick(r, "", "", "", "+1", "+a.2", "+a")
	}
	return text
}

func anySpecifier(r *rand.Rand) string {
	op := pick(r, "==", "!=", "<", ">", "<=", ">=", "~=", "==*", "!=*")
	switch op {
	case "~=":
		return op + pick(r, "1.0", "1.1.post1", "1.0.0", "2.0.1rc1", "1!1.9.dev1")
	case "==*", "!=*":
		return op[:2] + pick(r, "1", "1.0", "1.1", "1!1", "1.9", "2.0") + ".*"
	}
	return op + anyVersion(r, op == "==" || op == "!=")
}

func TestSetAgreesWithDirectEvaluation(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		a, b := anySpecifier(r), anySpecifier(r)+","+anySpecifier(r)
		sa, sb := version.MustParseSpecifiers(a), version.MustParseSpecifiers(b)
		x, y := sa.Set(), sb.Set()
		union, both, not := x.Union(y), x.Intersect(y), x.Complement()
		for range 25 {
			v := version.MustParse(anyVersion(r, true))
			inA, inB := sa.Holds(v), sb.Holds(v)
			say := fmt.Sprintf("%s with %q and %q", v, a, b)
			require.Equal(t, inA, x.Contains(v), say)
			require.Equal(t, inB, y.Contains(v), say)
			require.Equal(t, inA || inB, union.Contains(v), say)
			require.Equal(t, inA && inB, both.Contains(v), say)
			require.Equal(t, !inA, not.Contains(v), say)
			if inA && !inB {
				require.False(t, x.Subset(y), say)
			}
			if inA && inB {
				require.False(t, both.IsEmpty() || x.Disjoint(y), say)
			}
		}
		require.True(t, x.Intersect(not).IsEmpty() && x.Union(not).IsAll(), a)
		require.True(t, both.Subset(x) && both.Subset(y) && x.Subset(union) && y.Subset(union), a+b)
		require.Equal(t, x.Subset(y), both.Equal(x), a+b)
		require.Equal(t, x.Disjoint(y), both.IsEmpty(), a+b)
		require.True(t, x.Minus(y).Equal(union.Minus(y)), a+b)
	}
}

func TestSetBuilders(t *testing.T) {
	v := version.MustParse
	of := version.Of(v("2"), v("1"), v("1.0"), v("2rc1"))
	for text, in := range map[string]bool{"1.0.0": true, "2": true, "2rc1": true, "1.1": false, "1+a": false} {
		assert.Equal(t, in, of.Contains(v(text)), text)
	}
	assert.True(t, version.Only(v("1")).Subset(of))
	assert.True(t, version.Finals().Disjoint(version.Only(v("1a1"))))
}

func TestHugeNumbersCompare(t *testing.T) {
	big := "1" + strings.Repeat("0", 400)
	assert.True(t, version.MustParse(strings.Repeat("9", 400)).Less(version.MustParse(big)))
	assert.True(t, version.MustParseSpecifiers("==1."+strings.Repeat("9", 300)+".*").Set().Contains(version.MustParse("1."+strings.Repeat("9", 300)+".3")))
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"1.0", "v1!2.0rc1.post2.dev3+a.b", ">=1.0,!=1.5.*", "===x", "~=1.0.0"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if v, err := version.Parse(text); err == nil {
			again, err := version.Parse(v.String())
			require.NoError(t, err)
			require.True(t, v.Equal(again) && v.String() == again.String())
			require.True(t, version.Only(v).Contains(v))
		}
		if ss, err := version.ParseSpecifiers(text); err == nil {
			again, err := version.ParseSpecifiers(ss.String())
			require.NoError(t, err)
			require.Equal(t, ss.String(), again.String())
			require.True(t, ss.Set().Equal(again.Set()))
		}
	})
}

func TestSetText(t *testing.T) {
	for spec, want := range map[string]string{
		"": "any version", ">=1.2.5,<2": ">=1.2.5,<2.0", "!=1.5": "!=1.5", "==1.4": "==1.4", "==1.4.*": "==1.4.*",
		">=2,<1": "no version", ">1": ">1.0", "<=3,!=2.*": "<=3.0,!=2.*", "~=1.4.2": ">=1.4.2,<1.5", "==1!2.*": "==1!2.*",
		">=1.0.post2": ">=1.0.post2", "==1.0+local.3": "==1.0+local.3", ">=1.0rc1": ">=1.0", "!=3.1.*,!=3.2": "<3.1 or >3.2",
	} {
		assert.Equal(t, want, version.MustParseSpecifiers(spec).Set().String(), spec)
	}
	assert.Equal(t, "!=1.*", version.MustParseSpecifiers(">=1,<2").Set().Complement().String())
}
