package version

import (
	"fmt"
	"sort"
	"strconv"
	"strings"

	"glassjar/core/limits"
)

// Operators of PEP 440.
const (
	Compatible   = "~="
	Equal        = "=="
	NotEqual     = "!="
	LessEqual    = "<="
	GreaterEqual = ">="
	Less         = "<"
	Greater      = ">"
	Arbitrary    = "==="
)

// Specifier is one clause such as ">=1.2" or "==1.*".
type Specifier struct {
	op       string
	text     string // the version part as written, without the ".*"
	wildcard bool
	version  Version // zero for === with text that is no version
}

// ParseSpecifier reads one clause. The error is a [*ParseError].
func ParseSpecifier(text string) (Specifier, error) {
	fail := func(why string) (Specifier, error) {
		return Specifier{}, &ParseError{Kind: "specifier", Text: text, Why: why}
	}
	clause := strings.Trim(text, space)
	s := Specifier{op: operatorOf(clause)}
	if s.op == "" {
		return fail("it must begin with one of ~= == != <= >= < > ===")
	}
	s.text = strings.TrimLeft(clause[len(s.op):], space)
	if s.op == Arbitrary {
		if s.text == "" || strings.ContainsAny(s.text, space+",;)") {
			return fail("=== is followed by one word")
		}
		if v, err := Parse(s.text); err == nil {
			s.version = v
		}
		return s, nil
	}
	if short, ok := strings.CutSuffix(s.text, ".*"); ok {
		if s.op != Equal && s.op != NotEqual {
			return fail("only == and != take .*")
		}
		s.text, s.wildcard = short, true
	}
	v, err := Parse(s.text)
	switch {
	case err != nil:
		return fail("")
	case s.wildcard && (v.local != "" || v.hasDev || v.pre != "" || v.hasPost):
		return fail(".* comes after a release alone")
	case v.local != "" && s.op != Equal && s.op != NotEqual:
		return fail("only == and != take a local version")
	case s.op == Compatible && len(v.release) < 2:
		return fail("~= needs at least two numbers")
	}
	s.version = v
	return s, nil
}

// operatorOf is the operator with which a clause begins, the longest; empty for
// none.
func operatorOf(clause string) string {
	for _, op := range []string{Arbitrary, Compatible, Equal, NotEqual, LessEqual, GreaterEqual, Less, Greater} {
		if strings.HasPrefix(clause, op) {
			return op
		}
	}
	return ""
}

// Operator is one of the package's operator constants.
func (s Specifier) Operator() string { return s.op }

// Version is the version named; it is zero for an arbitrary-equality clause
// whose text is no version.
func (s Specifier) Version() Version { return s.version }

// Wildcard reports whether the clause ends in ".*".
func (s Specifier) Wildcard() bool { return s.wildcard }

// String is the clause as written, without white space.
func (s Specifier) String() string {
	if s.wildcard {
		return s.op + s.text + ".*"
	}
	return s.op + s.text
}

// AdmitsPrereleases reports whether the clause names a pre-release in a way
// that, by default, admits pre-releases.
func (s Specifier) AdmitsPrereleases() bool {
	switch s.op {
	case Equal, GreaterEqual, LessEqual, Compatible, Arbitrary:
		return !s.version.IsZero() && s.version.IsPrerelease()
	}
	return false
}

// Holds evaluates the clause for v directly, as the standard's prose reads,
// with pre-releases admitted. [Specifier.Set] says the same as intervals. It
// holds for no version that is none.
func (s Specifier) Holds(v Version) bool {
	if v.IsZero() {
		return false
	}
	w := s.version
	switch s.op {
	case Arbitrary:
		return strings.EqualFold(v.text, s.text)
	case Equal:
		return s.equals(v)
	case NotEqual:
		return !s.equals(v)
	case Compatible:
		prefix := Specifier{op: Equal, wildcard: true, version: Version{parts: &parts{epoch: w.epoch, release: w.release[:len(w.release)-1]}}}
		return !v.public().Less(w) && prefix.equals(v)
	case LessEqual:
		return !w.Less(v.public())
	case GreaterEqual:
		return !v.public().Less(w)
	case Less:
		// A pre-release of the version named is excluded, unless that one is
		// itself a pre-release.
		return v.Less(w) && (w.IsPrerelease() || !v.IsPrerelease() || !v.sameRelease(w))
	default:
		// A local version and, unless it is one itself, a post-release of the
		// version named are excluded.
		if !w.Less(v) || v.public().Equal(w) {
			return false
		}
		return !v.hasPost || w.hasPost || w.hasDev || v.phaseKey() != w.phaseKey()
	}
}

func (s Specifier) equals(v Version) bool {
	w := s.version
	if s.wildcard {
		if v.epoch != w.epoch {
			return false
		}
		for i, part := range w.release {
			have := "0"
			if i < len(v.release) {
				have = v.release[i]
			}
			if have != part {
				return false
			}
		}
		return true
	}
	if w.local == "" {
		v = v.public()
	}
	return v.Equal(w)
}

func (v Version) public() Version {
	if v.local == "" {
		return v
	}
	public := *v.parts
	public.local = ""
	return Version{text: v.Public(), key: v.publicKey() + localNone, parts: &public, early: v.early}
}

func (v Version) sameRelease(w Version) bool {
	return v.releaseKey() == w.releaseKey()
}

// Specifiers is a set of clauses that must all hold. The zero value admits
// every version.
type Specifiers []Specifier

// ParseSpecifiers reads clauses separated by commas; empty text is the empty
// set, and a comma at the end says nothing. The error is a [*ParseError].
func ParseSpecifiers(text string) (Specifiers, error) { return parseAll(text, ParseSpecifier) }

// ParseLegacySpecifiers is [ParseSpecifiers] for what publishers wrote before there
// was a standard, or past it: see [ParseLegacySpecifier]. Parentheses around the
// whole are dropped.
func ParseLegacySpecifiers(text string) (Specifiers, error) {
	if inner := strings.Trim(text, space); strings.HasPrefix(inner, "(") && strings.HasSuffix(inner, ")") {
		text = inner[1 : len(inner)-1]
	}
	return parseAll(text, ParseLegacySpecifier)
}

func parseAll(text string, parse func(string) (Specifier, error)) (Specifiers, error) {
	text = strings.TrimSuffix(strings.Trim(text, space), ",")
	if strings.Trim(text, space) == "" {
		return nil, nil
	}
	if strings.Count(text, ",") >= limits.Clauses {
		return nil, &ParseError{Kind: "specifier", Text: text[:60] + "...", Why: fmt.Sprintf("it has more than %d parts", limits.Clauses)}
	}
	var set Specifiers
	for _, clause := range strings.Split(text, ",") {
		s, err := parse(clause)
		if err != nil {
			return nil, err
		}
		set = append(set, s)
	}
	return set, nil
}

// ParseLegacySpecifier reads one clause, also in forms that the standard does not
// have but releases do: a version without an operator (PEP 345: that one or any that
// begins with it), quotes around the version, and ".*" after an order, which
// compares with the first or past the last of these versions.
func ParseLegacySpecifier(text string) (Specifier, error) {
	s, err := ParseSpecifier(text)
	if err == nil {
		return s, nil
	}
	clause := strings.NewReplacer(`"`, "", "'", "").Replace(strings.Trim(text, space))
	op := operatorOf(clause)
	number := strings.Trim(clause[len(op):], space)
	short, wild := strings.CutSuffix(number, ".*")
	v, bad := Parse(short)
	switch {
	case bad != nil:
		return s, err
	case op == "" && plainRelease(v):
		return ParseSpecifier(Equal + short + ".*")
	case op == "":
		return ParseSpecifier(Equal + short)
	case wild && (op == GreaterEqual || op == Less || op == Compatible):
		return ParseSpecifier(op + short)
	case wild && op == LessEqual:
		return ParseSpecifier(Less + v.next())
	case wild && op == Greater:
		return ParseSpecifier(GreaterEqual + v.next())
	case !wild && clause != text:
		if s, bad := ParseSpecifier(clause); bad == nil {
			return s, nil
		}
	}
	return s, err
}

// plainRelease reports whether a version is numbers only.
func plainRelease(v Version) bool {
	return v.local == "" && !v.hasDev && v.pre == "" && !v.hasPost
}

// next is the first version whose release no longer begins with that of v.
func (v Version) next() string {
	parts := append([]string(nil), v.release...)
	last, err := strconv.ParseUint(parts[len(parts)-1], 10, 32)
	if err != nil {
		return v.Public()
	}
	parts[len(parts)-1] = strconv.FormatUint(last+1, 10)
	return strings.Join(parts, ".")
}

// MustParseSpecifiers is [ParseSpecifiers] for text known to be right; it
// panics otherwise.
func MustParseSpecifiers(text string) Specifiers {
	set, err := ParseSpecifiers(text)
	if err != nil {
		panic(err)
	}
	return set
}

// String is the clauses in order of their text, joined by commas.
func (ss Specifiers) String() string {
	parts := strings.Split(ss.Written(), ",")
	sort.Strings(parts)
	return strings.Join(parts, ",")
}

// Written is the clauses in the order in which they were written, joined by
// commas.
func (ss Specifiers) Written() string {
	if len(ss) == 1 {
		return ss[0].String()
	}
	parts := make([]string, len(ss))
	for i, s := range ss {
		parts[i] = s.String()
	}
	return strings.Join(parts, ",")
}

// Holds reports whether every clause holds for v, pre-releases admitted.
func (ss Specifiers) Holds(v Version) bool {
	for _, s := range ss {
		if !s.Holds(v) {
			return false
		}
	}
	return true
}

// AdmitsPrereleases reports whether one of the clauses asks for them.
func (ss Specifiers) AdmitsPrereleases() bool {
	for _, s := range ss {
		if s.AdmitsPrereleases() {
			return true
		}
	}
	return false
}

// Admits reports whether v is chosen by default: every clause holds, and a
// pre-release is named by one of them if v is one.
func (ss Specifiers) Admits(v Version) bool {
	return ss.Holds(v) && (!v.IsPrerelease() || ss.AdmitsPrereleases())
}

// Filter keeps those of versions, in their order, that are admitted by
// default. Without a clause, pre-releases are kept only if there is nothing
// else.
func (ss Specifiers) Filter(versions []Version) []Version {
	var kept []Version
	for _, v := range versions {
		if ss.Admits(v) {
			kept = append(kept, v)
		}
	}
	if len(ss) == 0 && len(kept) == 0 {
		return append(kept, versions...)
	}
	return kept
}
