package requirement

import (
	"slices"
	"sort"
	"strings"

	"glassjar/core/version"
)

// maxTerms bounds the normal form; a marker that needs more is left as it is.
const maxTerms = 256

// And is the marker that holds where both hold, simplified.
func (m Marker) And(n Marker) Marker { return combine("and", m, n) }

// Or is the marker that holds where either holds, simplified.
func (m Marker) Or(n Marker) Marker {
	if m.IsZero() || n.IsZero() {
		return Marker{}
	}
	return combine("or", m, n)
}

func combine(word string, m, n Marker) Marker {
	switch {
	case m.IsZero():
		return n
	case n.IsZero():
		return m
	}
	return Marker{expr: &list{word: word, kids: append(kidsOf(m.expr, word), kidsOf(n.expr, word)...)}}.Simplify()
}

// kidsOf are the parts of a node in a list with a word: its own where it is one with that word.
func kidsOf(n node, word string) []node {
	l, ok := n.(*list)
	switch {
	case ok && l.word == word:
		return slices.Clone(l.kids)
	case ok:
		return []node{&list{word: l.word, kids: l.kids, grouped: true}}
	}
	return []node{n}
}

// Given is what is left of a marker of a record once it is known which extras and dependency groups
// are asked for; ever tells whether that can hold at all.
func (m Marker) Given(extras, groups []string) (left Marker, ever bool) {
	if m.expr == nil {
		return Marker{}, true
	}
	n, holds := given(m.expr, &scope{extras: normalizeAll(extras), groups: normalizeAll(groups)})
	if n == nil {
		return Marker{}, holds
	}
	return Marker{expr: n}.Simplify(), true
}

// given is what is left of a node, or nil and whether it holds.
func given(n node, in *scope) (left node, holds bool) {
	switch n := n.(type) {
	case *comparison:
		if name := n.variableName(); name == "extras" || name == "dependency_groups" {
			return nil, n.eval(in)
		}
	case *list:
		var kids []node
		for _, kid := range n.kids {
			left, holds := given(kid, in)
			switch {
			case left != nil:
				kids = append(kids, left)
			case holds == (n.word == "or"):
				return nil, holds // it decides
			}
		}
		if len(kids) == 0 {
			return nil, n.word == "and"
		}
		return join(n.word, kids, n.grouped), false
	}
	return n, false
}

// Not is the marker that holds where m does not. It reports false where the
// negation cannot be written as a marker ("~=" between strings, say).
func (m Marker) Not() (Marker, bool) {
	terms, ok := normalForm(m.expr, true)
	if !ok {
		return Marker{}, false
	}
	return write(terms)
}

// Never reports whether no environment can fulfil the marker. False means that
// none was found that forbids it.
func (m Marker) Never() bool {
	terms, ok := normalForm(m.expr, false)
	return ok && len(terms) == 0
}

// Always reports whether every environment is found to fulfil the marker.
func (m Marker) Always() bool {
	terms, ok := normalForm(m.expr, true)
	return ok && len(terms) == 0
}

// Disjoint reports whether m and n are found never to hold both. The systems'
// names are known to agree: sys_platform "win32" goes with os_name "nt".
func (m Marker) Disjoint(n Marker) bool {
	a, ok := normalForm(m.expr, false)
	b, ok2 := normalForm(n.expr, false)
	return ok && ok2 && len(conjoin(a, b)) == 0
}

// Implies reports whether n is found to hold wherever m does.
func (m Marker) Implies(n Marker) bool {
	a, ok := normalForm(m.expr, false)
	b, ok2 := normalForm(n.expr, true)
	return ok && ok2 && len(conjoin(a, b)) == 0
}

// Simplify writes the marker shorter: comparisons of one variable joined,
// terms that can never hold or that others cover left out. Bounds between two
// final versions of Python are exact; which side a pre-release just below a
// patch version falls on may change. The result is m itself where no shorter
// form is found; a marker that always holds becomes the zero Marker.
func (m Marker) Simplify() Marker {
	terms, ok := normalForm(m.expr, false)
	if !ok || m.expr == nil || len(terms) == 0 {
		return m
	}
	if m.Always() {
		return Marker{}
	}
	short, ok := write(terms)
	if !ok || len(short.String()) > len(m.String()) {
		return m
	}
	return short
}

// A term is a conjunction: for each variable what it may be. Terms stand for
// their disjunction.
type term map[string]domain

// domain is what one variable, or one comparison that cannot be taken apart,
// may be.
type domain interface {
	meet(domain) domain
	join(domain) domain
	empty() bool
	full() bool
	within(domain) bool
	nodes(variable string) ([]node, bool)
}

func normalForm(n node, negated bool) ([]term, bool) {
	switch n := n.(type) {
	case nil:
		if negated {
			return nil, true
		}
		return []term{{}}, true
	case *list:
		all := (n.word == "and") != negated
		var out []term
		if all {
			out = []term{{}}
		}
		for _, kid := range n.kids {
			terms, ok := normalForm(kid, negated)
			if !ok {
				return nil, false
			}
			if all {
				out = conjoin(out, terms)
			} else {
				out = absorb(append(out, terms...))
			}
			if len(out) > maxTerms {
				return nil, false
			}
		}
		return out, true
	case *comparison:
		name, d := domainOf(n)
		if negated {
			d = negate(d)
		}
		switch {
		case d.empty():
			return nil, true
		case d.full():
			return []term{{}}, true
		}
		return []term{{name: d}}, true
	}
	return nil, false
}

func negate(d domain) domain {
	switch d := d.(type) {
	case words:
		return words{list: d.list, except: !d.except}
	case versions:
		return versions{d.set.Complement().Intersect(version.Finals())}
	case opaque:
		return opaque{at: d.at, yes: d.no, no: d.yes}
	}
	return d
}

func conjoin(a, b []term) []term {
	var out []term
	for _, x := range a {
		for _, y := range b {
			if t, ok := x.meet(y); ok {
				out = append(out, t)
			}
		}
		if len(out) > 4*maxTerms {
			return out
		}
	}
	return absorb(out)
}

func (t term) meet(u term) (term, bool) {
	out := term{}
	for k, d := range t {
		out[k] = d
	}
	for k, d := range u {
		if have, ok := out[k]; ok {
			d = have.meet(d)
		}
		if d.empty() {
			return nil, false
		}
		out[k] = d
	}
	return out, out.possible()
}

// systems are the values that the variables naming the system take together.
var systems = []Environment{
	{"sys_platform": "linux", "os_name": "posix", "platform_system": "Linux"},
	{"sys_platform": "darwin", "os_name": "posix", "platform_system": "Darwin"},
	{"sys_platform": "win32", "os_name": "nt", "platform_system": "Windows"},
}

// possible is false where two variables that name the system contradict each
// other, one of them being fixed to a known value.
func (t term) possible() bool {
	for _, s := range systems {
		fixed := false
		for name, value := range s {
			d, ok := t[name].(words)
			// "posix" alone fixes no system: many share it.
			fixed = fixed || ok && value != "posix" && !d.except && len(d.list) == 1 && d.list[0] == value
		}
		for name, value := range s {
			if d, ok := t[name].(words); fixed && ok && !d.has(value) {
				return false
			}
		}
	}
	return true
}

// covers reports whether every environment of u is one of t.
func (t term) covers(u term) bool {
	for k, d := range t {
		have, ok := u[k]
		if !ok || !have.within(d) {
			return false
		}
	}
	return true
}

// absorb drops covered terms and joins those that differ in one variable.
func absorb(terms []term) []term {
	for again := true; again; {
		again = false
		for i := 0; i < len(terms) && !again; i++ {
			for j := 0; j < len(terms) && !again; j++ {
				if i == j {
					continue
				}
				if terms[i].covers(terms[j]) {
					terms, again = drop(terms, j), true
				} else if joined, ok := terms[i].join(terms[j]); ok {
					terms[i] = joined
					terms, again = drop(terms, j), true
				}
			}
		}
	}
	return terms
}

func drop(terms []term, i int) []term {
	return append(append([]term(nil), terms[:i]...), terms[i+1:]...)
}

func (t term) join(u term) (term, bool) {
	if len(t) != len(u) {
		return nil, false
	}
	differs := ""
	for k, d := range t {
		other, ok := u[k]
		if !ok {
			return nil, false
		}
		if !d.within(other) || !other.within(d) {
			if differs != "" {
				return nil, false
			}
			differs = k
		}
	}
	out := term{}
	for k, d := range t {
		out[k] = d
	}
	if differs != "" {
		d := t[differs].join(u[differs])
		if d.full() {
			delete(out, differs)
		} else {
			out[differs] = d
		}
	}
	return out, true
}

func write(terms []term) (Marker, bool) {
	var alternatives []node
	for _, t := range terms {
		names := make([]string, 0, len(t))
		for name := range t {
			names = append(names, name)
		}
		sort.Strings(names)
		var all []node
		for _, name := range names {
			nodes, ok := t[name].nodes(name)
			if !ok {
				return Marker{}, false
			}
			all = append(all, nodes...)
		}
		if len(all) == 0 {
			return Marker{}, true
		}
		alternatives = append(alternatives, join("and", all, len(terms) > 1))
	}
	if len(alternatives) == 0 {
		return Marker{}, false
	}
	sort.Slice(alternatives, func(i, j int) bool { return nodeText(alternatives[i]) < nodeText(alternatives[j]) })
	return Marker{expr: join("or", alternatives, false)}, true
}

func join(word string, kids []node, grouped bool) node {
	if len(kids) == 1 {
		return kids[0]
	}
	return &list{word: word, kids: kids, grouped: grouped}
}

func nodeText(n node) string {
	var b strings.Builder
	n.write(&b, true)
	return b.String()
}
