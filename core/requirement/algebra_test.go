package requirement_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/requirement"
	_ "glassjar/internal/long"
)

func TestSimplify(t *testing.T) {
	for in, want := range map[string]string{
		`python_version >= "3.8" and python_version >= "3.9"`:                                       `python_version >= "3.9"`,
		`python_version < "3.9" or python_version >= "3.9"`:                                         ``,
		`sys_platform == "linux" or sys_platform == "linux" and os_name == "posix"`:                 `sys_platform == "linux"`,
		`(python_version == "3.8" or python_version == "3.9") or python_version == "3.10"`:          `python_version >= "3.8" and python_version < "3.11"`,
		`python_version > "3.8" and python_full_version < "3.10"`:                                   `python_version == "3.9"`,
		`os_name == "nt" and python_version < "3.9" or os_name == "nt" and python_version >= "3.9"`: `os_name == "nt"`,
		`'3.9' <= python_version`:                           `python_version >= "3.9"`,
		`extra == "A_b" and extra == "a-b"`:                 `extra == "a-b"`,
		`platform_version > "5" and platform_version > "5"`: `platform_version > "5"`,
	} {
		assert.Equal(t, want, requirement.MustParseMarker(in).Simplify().String(), in)
	}
}

func TestBothHold(t *testing.T) {
	for _, c := range []struct {
		a, b     string
		disjoint bool
	}{
		{`python_version < "3.9"`, `python_full_version >= "3.9"`, true},
		{`python_version <= "3.9"`, `python_full_version == "3.9.4"`, false},
		{`sys_platform == "win32"`, `os_name == "posix"`, true},
		{`platform_system == "Darwin"`, `sys_platform == "linux"`, true},
		{`sys_platform != "win32"`, `os_name == "nt"`, true},
		{`sys_platform != "win32"`, `os_name == "posix"`, false},
		{`extra == "a"`, `extra == "b"`, true},
		{`platform_machine == "x86_64" or python_version < "3"`, `platform_machine != "x86_64"`, false},
		{`"lin" in platform_version`, `"lin" not in platform_version`, true},
	} {
		a, b := requirement.MustParseMarker(c.a), requirement.MustParseMarker(c.b)
		assert.Equal(t, c.disjoint, a.Disjoint(b), "%s with %s", c.a, c.b)
		assert.Equal(t, c.disjoint, a.And(b).Never(), "%s and %s", c.a, c.b)
	}
	assert.True(t, requirement.MustParseMarker(`python_version >= "3.10"`).Implies(requirement.MustParseMarker(`python_version > "3.8"`)))
	assert.False(t, requirement.MustParseMarker(`python_version >= "3.8"`).Implies(requirement.MustParseMarker(`python_version > "3.8"`)))
}

// Generated markers keep their truth in every environment when simplified,
// combined and negated.
func TestAlgebraKeepsTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	of := func(words ...string) string { return words[r.IntN(len(words))] }
	atom := func() string {
		switch r.IntN(6) {
		case 0:
			return "python_full_version " + of("<", ">=", "==", "!=", "<=", ">") + fmt.Sprintf(` "3.%d.%d"`, 8+r.IntN(4), r.IntN(3))
		case 1:
			return fmt.Sprintf(`"3.%d" `, 8+r.IntN(4)) + of("<", ">=", "==", "<=") + " python_version"
		case 2:
			return `sys_platform ` + of("==", "!=", "in", "<") + ` "` + of("linux", "win32", "darwin") + `"`
		case 3:
			return `os_name ` + of("==", "!=") + ` "` + of("nt", "posix") + `"`
		}
		return "python_version " + of("<", ">=", "==", "!=", "<=", ">", "~=") + ` "3.` + of("8", "9", "10", "11", "9.1") + `"`
	}
	var environments []requirement.Environment
	for _, system := range [][2]string{{"linux", "posix"}, {"win32", "nt"}, {"darwin", "posix"}} {
		for minor := 7; minor < 13; minor++ {
			for patch := range 3 {
				environments = append(environments, requirement.Environment{"sys_platform": system[0], "os_name": system[1],
					"python_version": fmt.Sprintf("3.%d", minor), "python_full_version": fmt.Sprintf("3.%d.%d", minor, patch)})
			}
		}
	}
	for range 300 {
		a := requirement.MustParseMarker(atom() + of(" and ", " or ") + atom())
		b := requirement.MustParseMarker("(" + atom() + of(" and ", " or ") + atom() + ")" + of(" and ", " or ") + atom())
		both, either, simple := a.And(b), a.Or(b), b.Simplify()
		not, ok := b.Not()
		disjoint, implies, never, always := a.Disjoint(b), a.Implies(b), b.Never(), b.Always()
		for _, env := range environments {
			inA, inB := a.Holds(env), b.Holds(env)
			require.Equal(t, inB, simple.Holds(env), "%s became %s for %v", b, simple, env)
			require.Equal(t, inA && inB, both.Holds(env), "%s | %s: %s", a, b, both)
			require.Equal(t, inA || inB, either.Holds(env), "%s | %s: %s", a, b, either)
			require.False(t, inA && inB && disjoint, "%s | %s", a, b)
			require.False(t, inA && !inB && implies, "%s | %s", a, b)
			require.False(t, inB && never || !inB && always, b.String())
			if ok {
				require.Equal(t, !inB, not.Holds(env), "not %s became %s", b, not)
			}
		}
	}
}

// What is left of a record's marker for some extras and groups holds where the whole does.
func TestGiven(t *testing.T) {
	for text, want := range map[string]string{
		`"hot" in extras`: "", `"tests" in dependency_groups`: "never", `"tests" not in dependency_groups`: "",
		`("hot" in extras and python_version < "3.9") or "tests" in dependency_groups`:  `python_version < "3.9"`,
		`("tests" in dependency_groups and python_version < "3.9") or os_name == "nt"`:  `os_name == "nt"`,
		`python_version < "3.9" and ("hot" in extras or "tests" in dependency_groups)`:  `python_version < "3.9"`,
		`python_version < "3.9" and ("cold" in extras or "tests" in dependency_groups)`: "never",
		`"Hot" in extras or python_version < "3.9"`:                                     "",
		`python_version < "3.9" or os_name == "nt"`:                                     `os_name == "nt" or python_version < "3.9"`,
	} {
		m := requirement.MustParseMarker(text)
		left, ever := m.Given([]string{"hot"}, nil)
		if want == "never" {
			assert.False(t, ever, text)
			continue
		}
		assert.True(t, ever, text)
		assert.Equal(t, want, left.String(), text)
		assert.False(t, left.UsesParts())
		for _, version := range []string{"3.8", "3.12"} {
			env := requirement.Environment{"python_version": version, "os_name": "nt"}
			assert.Equal(t, m.HoldsIn(env, []string{"hot"}, nil), left.Holds(env), "%s on %s", text, version)
		}
	}
}
