package requirement

import (
	"slices"
	"strings"

	"glassjar/core/limits"
	"glassjar/core/version"
)

// Environment gives the marker variables their values. The variable extra has
// no value of its own: evaluation is asked for a set of extras.
type Environment map[string]string

// The variables of the standard. The last two are those of PEP 751's markers.
var variables = map[string]bool{
	"os_name": true, "sys_platform": true, "platform_machine": true, "platform_python_implementation": true,
	"platform_release": true, "platform_system": true, "platform_version": true, "python_version": true,
	"python_full_version": true, "implementation_name": true, "implementation_version": true, "extra": true,
	"extras": true, "dependency_groups": true,
}

// Spellings from before PEP 508, which it asks to go on reading.
var oldNames = map[string]string{
	"os.name": "os_name", "sys.platform": "sys_platform", "platform.version": "platform_version",
	"platform.machine": "platform_machine", "platform.python_implementation": "platform_python_implementation",
	"python_implementation": "platform_python_implementation",
}

// Marker is a condition on the environment. The zero value always holds.
type Marker struct{ expr node }

type node interface {
	eval(in *scope) bool
	write(b *strings.Builder, top bool)
}

type list struct {
	word    string // "and" or "or"
	kids    []node
	grouped bool // stood in parentheses
}

type comparison struct {
	left, right operand
	op          string
}

type operand struct {
	text     string
	variable bool
}

type scope struct {
	env            Environment
	extra          string
	extras, groups []string // normal forms
}

// ParseMarker reads a marker; empty text is the zero Marker. The error is a
// [*ParseError].
func ParseMarker(text string) (Marker, error) {
	if strings.TrimSpace(text) == "" {
		return Marker{}, nil
	}
	s := &scanner{text: text}
	if len(text) > limits.Text {
		return Marker{}, s.tooLong()
	}
	return s.marker()
}

// MustParseMarker is [ParseMarker] for text known to be right; it panics
// otherwise.
func MustParseMarker(text string) Marker {
	m, err := ParseMarker(text)
	if err != nil {
		panic(err)
	}
	return m
}

// IsZero reports whether no condition is written.
func (m Marker) IsZero() bool { return m.expr == nil }

// String writes the marker with one space between tokens and strings in double
// quotes.
func (m Marker) String() string {
	if m.expr == nil {
		return ""
	}
	var b strings.Builder
	m.expr.write(&b, true)
	return b.String()
}

// MarshalText writes the marker as [Marker.String] does.
func (m Marker) MarshalText() ([]byte, error) { return []byte(m.String()), nil }

// Holds evaluates the marker: whether it is true with extra being one of the
// extras, or the empty string where there are none.
func (m Marker) Holds(env Environment, extras ...string) bool {
	return m.HoldsIn(env, extras, nil)
}

// HoldsIn is [Marker.Holds] with chosen dependency groups, for the variables
// extras and dependency_groups of PEP 751.
func (m Marker) HoldsIn(env Environment, extras, groups []string) bool {
	if m.expr == nil {
		return true
	}
	in := &scope{env: env, extras: normalizeAll(extras), groups: normalizeAll(groups)}
	if len(extras) == 0 {
		return m.expr.eval(in)
	}
	for _, in.extra = range in.extras {
		if m.expr.eval(in) {
			return true
		}
	}
	return false
}

// UsesExtra reports whether the marker looks at which extras are asked for.
func (m Marker) UsesExtra() bool {
	found := false
	walk(m.expr, func(c *comparison) {
		for _, o := range []operand{c.left, c.right} {
			found = found || o.variable && o.text == "extra"
		}
	})
	return found
}

// UsesEnvironment reports whether the marker looks at anything but which extras are asked for.
func (m Marker) UsesEnvironment() bool {
	found := false
	walk(m.expr, func(c *comparison) {
		for _, o := range []operand{c.left, c.right} {
			found = found || o.variable && o.text != "extra"
		}
	})
	return found
}

// UsesParts reports whether the marker looks at the extras and groups of a record (PEP 751), which
// no requirement can.
func (m Marker) UsesParts() bool {
	found := false
	walk(m.expr, func(c *comparison) {
		name := c.variableName()
		found = found || name == "extras" || name == "dependency_groups"
	})
	return found
}

// Extras are the extras that the marker compares with, as written, each once.
func (m Marker) Extras() []string {
	var out []string
	walk(m.expr, func(c *comparison) {
		for _, pair := range [][2]operand{{c.left, c.right}, {c.right, c.left}} {
			if pair[0].variable && pair[0].text == "extra" && !slices.Contains(out, pair[1].text) {
				out = append(out, pair[1].text)
			}
		}
	})
	return out
}

func walk(n node, visit func(*comparison)) {
	switch n := n.(type) {
	case *list:
		for _, kid := range n.kids {
			walk(kid, visit)
		}
	case *comparison:
		visit(n)
	}
}

func normalizeAll(names []string) []string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = Normalize(n)
	}
	return out
}

func (l *list) eval(in *scope) bool {
	for _, kid := range l.kids {
		if kid.eval(in) != (l.word == "and") {
			return l.word == "or"
		}
	}
	return l.word == "and"
}

func (l *list) write(b *strings.Builder, top bool) {
	if l.grouped && !top {
		b.WriteByte('(')
		defer b.WriteByte(')')
	}
	for i, kid := range l.kids {
		if i > 0 {
			b.WriteString(" " + l.word + " ")
		}
		kid.write(b, false)
	}
}

func (c *comparison) write(b *strings.Builder, _ bool) {
	c.left.write(b)
	b.WriteString(" " + c.op + " ")
	c.right.write(b)
}

func (o operand) write(b *strings.Builder) {
	switch {
	case o.variable:
		b.WriteString(o.text)
	case strings.Contains(o.text, `"`):
		b.WriteString("'" + o.text + "'")
	default:
		b.WriteString(`"` + o.text + `"`)
	}
}

func (o operand) value(env Environment) string {
	if o.variable {
		return env[o.text]
	}
	return o.text
}

// variableName is the variable compared, or empty where both are strings.
func (c *comparison) variableName() string {
	for _, o := range []operand{c.left, c.right} {
		if o.variable {
			return o.text
		}
	}
	return ""
}

func (c *comparison) eval(in *scope) bool {
	switch c.variableName() {
	case "extra":
		return c.evalExtra(in.extra)
	case "extras":
		return c.evalMember(in.extras)
	case "dependency_groups":
		return c.evalMember(in.groups)
	}
	return compare(c.left.value(in.env), c.op, c.right.value(in.env))
}

// evalExtra compares extra in its normal form.
func (c *comparison) evalExtra(extra string) bool {
	value := func(o operand) string {
		if o.variable {
			return extra
		}
		return Normalize(o.text)
	}
	return compareText(value(c.left), c.op, value(c.right))
}

// evalMember is '"name" in extras' and its negation (PEP 751).
func (c *comparison) evalMember(of []string) bool {
	found := false
	for _, name := range of {
		found = found || name == Normalize(c.left.text)
	}
	return found == (c.op != "not in")
}

// compare follows the standard: as versions where the right side makes a
// specifier and the left side is a version, else as Python compares strings.
func compare(left, op, right string) bool {
	if op != "in" && op != "not in" {
		if spec, err := version.ParseSpecifier(op + right); err == nil {
			if op == version.Arbitrary {
				return strings.EqualFold(left, right)
			}
			if v, err := version.Parse(left); err == nil {
				return spec.Holds(v)
			}
		}
	}
	return compareText(left, op, right)
}

func compareText(left, op, right string) bool {
	switch op {
	case "in":
		return strings.Contains(right, left)
	case "not in":
		return !strings.Contains(right, left)
	case "==", "===":
		return left == right
	case "!=":
		return left != right
	case "<":
		return left < right
	case "<=":
		return left <= right
	case ">":
		return left > right
	case ">=":
		return left >= right
	}
	return false // ~= has no meaning for strings
}
