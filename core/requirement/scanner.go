package requirement

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"glassjar/core/limits"
	"glassjar/core/version"
)

// maxDepth bounds the nesting of parentheses, so that hostile text cannot
// exhaust the stack.
const maxDepth = 200

// scanner reads a requirement or a marker from left to right.
type scanner struct {
	text  string
	at    int
	depth int
	// clause reads one version specifier.
	clause func(string) (version.Specifier, error)
	bare   bool // a version may stand without an operator, in parentheses
}

func (s *scanner) fail(at int, expected string) error {
	return &ParseError{Text: s.text, Column: utf8.RuneCountInString(s.text[:at]) + 1, Expected: expected}
}

func blank(c byte) bool {
	return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '\f' || c == '\v'
}

func (s *scanner) skip() {
	for s.at < len(s.text) && blank(s.text[s.at]) {
		s.at++
	}
}

func (s *scanner) done() bool { return s.at >= len(s.text) }

func (s *scanner) take(token string) bool {
	if strings.HasPrefix(s.text[s.at:], token) {
		s.at += len(token)
		return true
	}
	return false
}

func (s *scanner) name(expected string) (string, error) {
	start := s.at
	for !s.done() && nameByte(s.text[s.at]) {
		s.at++
	}
	word := s.text[start:s.at]
	if !ValidName(word) {
		return "", s.fail(start, expected)
	}
	return word, nil
}

// tooLong refuses a text that nobody wrote by hand.
func (s *scanner) tooLong() error {
	return &ParseError{Text: s.text[:60] + "...", Column: limits.Text + 1, Expected: fmt.Sprintf("at most %d bytes", limits.Text)}
}

func (s *scanner) requirement() (r Requirement, err error) {
	if len(s.text) > limits.Text {
		return r, s.tooLong()
	}
	s.skip()
	if r.Name, err = s.name("a distribution's name"); err != nil {
		return r, err
	}
	s.skip()
	if s.take("[") {
		if r.Extras, err = s.extras(); err != nil {
			return r, err
		}
		s.skip()
	}
	if s.take("@") {
		err = s.url(&r)
	} else {
		err = s.specifiers(&r)
	}
	if err != nil {
		return r, err
	}
	s.skip()
	if s.take(";") {
		if r.Marker, err = s.marker(); err != nil {
			return r, err
		}
	}
	if !s.done() {
		if r.URL != "" {
			return r, s.fail(s.at, "';' with a marker, or the end")
		}
		return r, s.fail(s.at, "a version specifier such as >=1.0, '@' with an address, ';' with a marker, or the end")
	}
	return r, nil
}

// extras reads what follows the opening bracket.
func (s *scanner) extras() ([]string, error) {
	var extras []string
	s.skip()
	if s.take("]") {
		return nil, nil
	}
	for {
		s.skip()
		extra, err := s.name("an extra's name")
		if err != nil {
			return nil, err
		}
		if extras = append(extras, extra); len(extras) > limits.Extras {
			return nil, s.fail(s.at, fmt.Sprintf("at most %d extras", limits.Extras))
		}
		s.skip()
		if s.take("]") {
			return uniqueSorted(extras), nil
		}
		if !s.take(",") {
			return nil, s.fail(s.at, "',' or ']'")
		}
	}
}

// url reads a direct reference: all up to white space. A marker's semicolon
// must stand apart, since it may also be part of an address.
func (s *scanner) url(r *Requirement) error {
	s.skip()
	start := s.at
	for !s.done() && !blank(s.text[s.at]) {
		s.at++
	}
	r.URL = s.text[start:s.at]
	if r.URL == "" {
		return s.fail(start, "an address")
	}
	return nil
}

func (s *scanner) specifiers(r *Requirement) error {
	s.skip()
	parenthesis := s.take("(")
	stop := ";"
	if parenthesis {
		stop = ")"
	}
	start := s.at
	length := strings.IndexAny(s.text[start:], stop)
	if length < 0 {
		if parenthesis {
			return s.fail(len(s.text), "')'")
		}
		length = len(s.text) - start
	}
	body := s.text[start : start+length]
	s.skip()
	if strings.TrimSpace(body) != "" && !strings.ContainsRune("~=!<>", rune(s.text[s.at])) && !(s.bare && parenthesis) {
		if parenthesis {
			return s.fail(s.at, "a version specifier such as >=1.0, or ')'")
		}
		return nil // the caller says what could stand here
	}
	at := start
	// A comma at the end says nothing.
	clauses := strings.Split(strings.TrimSuffix(strings.TrimRight(body, " \t\n\r\f\v"), ","), ",")
	if len(clauses) > limits.Clauses {
		return s.fail(start, fmt.Sprintf("at most %d version specifiers", limits.Clauses))
	}
	for i, clause := range clauses {
		if i == 0 && strings.TrimSpace(clause) == "" && len(clauses) == 1 {
			break
		}
		spec, err := s.clause(clause)
		if err != nil {
			lead := len(clause) - len(strings.TrimLeft(clause, " \t\n\r\f\v"))
			return s.fail(at+lead, "a version specifier such as >=1.0")
		}
		r.Specifiers = append(r.Specifiers, spec)
		at += len(clause) + 1
	}
	s.at = start + length
	if parenthesis {
		s.at++
	}
	return nil
}

// marker reads a marker to the end of the text.
func (s *scanner) marker() (Marker, error) {
	expr, err := s.or()
	if err != nil {
		return Marker{}, err
	}
	if !s.done() {
		return Marker{}, s.fail(s.at, "'and', 'or', or the end")
	}
	return Marker{expr: expr}, nil
}

func (s *scanner) or() (node, error)  { return s.list("or", s.and) }
func (s *scanner) and() (node, error) { return s.list("and", s.term) }

func (s *scanner) list(word string, next func() (node, error)) (node, error) {
	first, err := next()
	if err != nil {
		return nil, err
	}
	kids := []node{first}
	for s.word(word) {
		kid, err := next()
		if err != nil {
			return nil, err
		}
		kids = append(kids, kid)
	}
	if len(kids) == 1 {
		return first, nil
	}
	return &list{word: word, kids: kids}, nil
}

// word takes a keyword and the white space around it.
func (s *scanner) word(word string) bool {
	s.skip()
	rest, ok := strings.CutPrefix(s.text[s.at:], word)
	if !ok || rest != "" && (nameByte(rest[0])) {
		return false
	}
	s.at += len(word)
	s.skip()
	return true
}

func (s *scanner) term() (node, error) {
	s.skip()
	if !s.take("(") {
		return s.comparison()
	}
	if s.depth++; s.depth > maxDepth {
		return nil, s.fail(s.at, "fewer nested parentheses")
	}
	inner, err := s.or()
	if err != nil {
		return nil, err
	}
	s.depth--
	s.skip()
	if !s.take(")") {
		return nil, s.fail(s.at, "'and', 'or' or ')'")
	}
	s.skip()
	if l, ok := inner.(*list); ok {
		l.grouped = true
	}
	return inner, nil
}

func (s *scanner) comparison() (node, error) {
	left, err := s.operand()
	if err != nil {
		return nil, err
	}
	op, err := s.operator()
	if err != nil {
		return nil, err
	}
	right, err := s.operand()
	if err != nil {
		return nil, err
	}
	s.skip()
	return &comparison{left: left, op: op, right: right}, nil
}

func (s *scanner) operand() (operand, error) {
	s.skip()
	const expected = "a marker variable such as python_version, or a quoted string"
	if s.done() {
		return operand{}, s.fail(s.at, expected)
	}
	start := s.at
	if quote := s.text[s.at]; quote == '"' || quote == '\'' {
		length := strings.IndexByte(s.text[start+1:], quote)
		if length < 0 {
			return operand{}, s.fail(len(s.text), "the closing quote "+string(quote))
		}
		s.at = start + length + 2
		return operand{text: s.text[start+1 : start+1+length]}, nil
	}
	for !s.done() && (nameByte(s.text[s.at])) {
		s.at++
	}
	word := s.text[start:s.at]
	if full, ok := oldNames[word]; ok {
		word = full
	}
	if !variables[word] {
		s.at = start
		return operand{}, s.fail(start, expected)
	}
	return operand{text: word, variable: true}, nil
}

func (s *scanner) operator() (string, error) {
	s.skip()
	for _, op := range []string{"===", "~=", "==", "!=", "<=", ">=", "<", ">"} {
		if s.take(op) {
			return op, nil
		}
	}
	start := s.at
	if s.word("in") {
		return "in", nil
	}
	if s.word("not") && s.word("in") {
		return "not in", nil
	}
	return "", s.fail(start, "a comparison: == != <= >= < > ~= === in, not in")
}
