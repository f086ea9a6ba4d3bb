package requirement

import (
	"sort"
	"strings"

	"glassjar/core/version"
)

// words is a finite set of strings, or all strings but those.
type words struct {
	list   []string // sorted
	except bool
}

// versions is a set of final versions. python_version is taken as a condition
// on python_full_version, so that both are one variable.
type versions struct{ set version.Set }

// opaque is a comparison that can only be true or false as a whole: which of
// the two are admitted.
type opaque struct {
	at      *comparison
	yes, no bool
}

var mirrored = map[string]string{"==": "==", "!=": "!=", "<": ">", ">": "<", "<=": ">=", ">=": "<="}

// domainOf tells which variable a comparison is about and what it admits.
func domainOf(c *comparison) (string, domain) {
	name, op, text := c.variableName(), c.op, c.right.text
	unknown := func() (string, domain) { return whole(c) }
	if c.left.variable && c.right.variable || name == "" {
		return unknown()
	}
	if c.right.variable {
		var ok bool
		if op, ok = mirrored[op]; !ok || strings.HasSuffix(c.left.text, ".*") {
			return unknown()
		}
		text = c.left.text
	}
	switch name {
	case "python_version", "python_full_version", "implementation_version":
		spec, err := version.ParseSpecifier(op + text)
		if err != nil || op == version.Arbitrary {
			return unknown()
		}
		if name == "python_version" {
			return "python_full_version", versions{minorSet(spec)}
		}
		return name, versions{spec.Set().Intersect(version.Finals())}
	case "platform_release", "platform_version", "extras", "dependency_groups":
		return unknown()
	}
	if name == "extra" {
		text = Normalize(text)
	}
	// A value that reads as a version would be compared as one.
	if _, err := version.Parse(text); err == nil || op != "==" && op != "!=" {
		return unknown()
	}
	return name, words{list: []string{text}, except: op == "!="}
}

// whole takes a comparison as one thing. A negative operator becomes the
// negation of the positive one, so that both are about the same thing.
func whole(c *comparison) (string, domain) {
	if positive, ok := map[string]string{"not in": "in", "!=": "=="}[c.op]; ok {
		at := &comparison{left: c.left, op: positive, right: c.right}
		return nodeText(at), opaque{at: at, no: true}
	}
	return nodeText(c), opaque{at: c, yes: true}
}

// minorSet turns a condition on python_version, which has two numbers, into
// one on the whole version.
func minorSet(spec version.Specifier) version.Set {
	v := spec.Version()
	release := append(v.Release(), "0")
	minor := strings.Join(release[:2], ".")
	series := version.MustParseSpecifiers("==" + minor + ".*").Set()
	from := series.Union(version.MustParseSpecifiers(">=" + minor).Set())
	beyond := from.Minus(series)
	whole := spec.Wildcard() || version.MustParse(minor).Equal(v)
	above := v.Less(version.MustParse(minor)) // a pre-release of the minor version
	var set version.Set
	switch spec.Operator() {
	case version.Equal, version.NotEqual:
		switch {
		case spec.Wildcard():
			return spec.Set().Intersect(version.Finals())
		case whole:
			set = series
		}
		if spec.Operator() == version.NotEqual {
			set = set.Complement()
		}
	case version.GreaterEqual, version.Less, version.Compatible:
		set = beyond
		if whole || above {
			set = from
		}
		if spec.Operator() == version.Less {
			set = set.Complement()
		} else if spec.Operator() == version.Compatible {
			prefix := strings.Join(v.Release()[:len(v.Release())-1], ".")
			set = set.Intersect(version.MustParseSpecifiers("==" + prefix + ".*").Set())
		}
	default:
		set = beyond
		if above {
			set = from
		}
		if spec.Operator() == version.LessEqual {
			set = set.Complement()
		}
	}
	return set.Intersect(version.Finals())
}

func (w words) has(s string) bool {
	i := sort.SearchStrings(w.list, s)
	return (i < len(w.list) && w.list[i] == s) != w.except
}

func (w words) filter(keep func(string) bool) []string {
	var out []string
	for _, s := range w.list {
		if keep(s) {
			out = append(out, s)
		}
	}
	return out
}

func (w words) meet(d domain) domain {
	o := d.(words)
	switch {
	case w.except && o.except:
		return words{uniqueSorted(append(append([]string(nil), w.list...), o.list...)), true}
	case w.except:
		return words{list: o.filter(w.has)}
	}
	return words{list: w.filter(o.has)}
}

func (w words) join(d domain) domain {
	return negate(negate(w).meet(negate(d)))
}

func (w words) empty() bool          { return !w.except && len(w.list) == 0 }
func (w words) full() bool           { return w.except && len(w.list) == 0 }
func (w words) within(d domain) bool { return w.meet(negate(d)).empty() }

func (w words) nodes(variable string) ([]node, bool) {
	op, word := "==", "or"
	if w.except {
		op, word = "!=", "and"
	}
	var all []node
	for _, s := range w.list {
		all = append(all, compareNode(variable, op, s))
	}
	if word == "or" {
		return []node{join(word, all, true)}, true
	}
	return all, true
}

func compareNode(variable, op, text string) node {
	return &comparison{left: operand{text: variable, variable: true}, op: op, right: operand{text: text}}
}

func (v versions) meet(d domain) domain { return versions{v.set.Intersect(d.(versions).set)} }
func (v versions) join(d domain) domain { return versions{v.set.Union(d.(versions).set)} }
func (v versions) empty() bool          { return v.set.IsEmpty() }
func (v versions) full() bool           { return version.Finals().Subset(v.set) }
func (v versions) within(d domain) bool { return v.set.Subset(d.(versions).set) }

func (v versions) nodes(variable string) ([]node, bool) {
	var alternatives []node
	for _, clauses := range v.set.Clauses() {
		var all []node
		for _, clause := range clauses {
			spec, err := version.ParseSpecifier(clause)
			if err != nil {
				return nil, false
			}
			all = append(all, versionNode(variable, spec))
		}
		alternatives = append(alternatives, join("and", all, true))
	}
	if len(alternatives) == 1 {
		if l, ok := alternatives[0].(*list); ok {
			return l.kids, true
		}
	}
	return []node{join("or", alternatives, true)}, true
}

// versionNode prefers python_version, which people write, wherever it says the
// same.
func versionNode(variable string, spec version.Specifier) node {
	op, v := spec.Operator(), spec.Version()
	text := v.String()
	if variable == "python_full_version" && len(v.Release()) == 2 && !v.IsPostrelease() {
		switch {
		case op == version.GreaterEqual, op == version.Less, spec.Wildcard():
			return compareNode("python_version", op, text)
		}
	}
	if spec.Wildcard() {
		text += ".*"
	}
	return compareNode(variable, op, text)
}

func (o opaque) meet(d domain) domain {
	p := d.(opaque)
	return opaque{o.at, o.yes && p.yes, o.no && p.no}
}

func (o opaque) join(d domain) domain {
	p := d.(opaque)
	return opaque{o.at, o.yes || p.yes, o.no || p.no}
}

func (o opaque) empty() bool { return !o.yes && !o.no }
func (o opaque) full() bool  { return o.yes && o.no }

func (o opaque) within(d domain) bool {
	p := d.(opaque)
	return (!o.yes || p.yes) && (!o.no || p.no)
}

// nodes writes the comparison or its negation. Only equality and "in" have a
// negation that holds for every value.
func (o opaque) nodes(string) ([]node, bool) {
	if o.yes {
		return []node{o.at}, true
	}
	opposite := map[string]string{"in": "not in", "not in": "in", "==": "!=", "!=": "=="}[o.at.op]
	return []node{&comparison{left: o.at.left, op: opposite, right: o.at.right}}, opposite != ""
}
