package limits

// Parts of a text of TOML: what reads it takes time by the square of some of them.
const (
	// Depth is how deep lists and tables may stand in each other, Dots how many parts a
	// dotted key may have.
	Depth = 64
	Dots  = 64
	// Tables are those that stand in brackets or braces, Values all that keys and lists
	// give, and Siblings the keys, or the tables, that stand side by side.
	Tables   = 250_000
	Values   = 1_000_000
	Siblings = 10_000
)

// TOML refuses a text with more parts than anybody writes, with an [*Error]. What is no
// TOML is let through: whoever reads it says so.
func TOML(what string, text []byte) error {
	s := tomlScan{text: text, keys: make([]int, 1, Depth)}
	for s.at < len(text) {
		if e := s.step(); e != nil {
			e.What = what
			return e
		}
	}
	return nil
}

// tomlScan looks at the parts of a text, without making anything of them.
type tomlScan struct {
	text []byte
	at   int
	// keys are those counted so far in each of the tables that are open, the outermost
	// first; headings the lines that begin a table.
	keys                             []int
	headings, tables, values, dotted int
	begun                            bool // the line has more than blanks
}

func (s *tomlScan) step() *Error {
	c := s.text[s.at]
	s.at++
	top := len(s.keys) - 1
	switch c {
	case '\n':
		s.dotted, s.begun = 0, false
		return nil
	case ' ', '\t', '\r':
		return nil
	case '#':
		for s.at < len(s.text) && s.text[s.at] != '\n' {
			s.at++
		}
		return nil
	case '"', '\'':
		s.skipString(c)
	case '.':
		if s.dotted++; s.dotted > Dots {
			return &Error{Limit: Dots, Unit: "parts in one key"}
		}
	case '=':
		s.dotted = 0
		s.values++
		if s.keys[top]++; s.keys[top] > Siblings {
			return &Error{Limit: Siblings, Unit: "keys side by side"}
		}
	case ',':
		s.dotted = 0
		s.values++
	case '[', '{':
		if c == '[' && top == 0 && !s.begun {
			return s.heading()
		}
		if s.tables++; c == '{' && s.tables > Tables {
			return &Error{Limit: Tables, Unit: "tables"}
		}
		if s.keys = append(s.keys, 0); len(s.keys) > Depth {
			return &Error{Limit: Depth, Unit: "lists or tables in each other"}
		}
	case ']', '}':
		if top > 0 {
			s.keys = s.keys[:top]
		}
	}
	s.begun = true
	if s.values > Values {
		return &Error{Limit: Values, Unit: "values"}
	}
	return nil
}

// heading is a line that begins a table; those of a list of tables are as many as there
// are tables.
func (s *tomlScan) heading() *Error {
	s.keys[0], s.begun = 0, true
	if s.at < len(s.text) && s.text[s.at] == '[' {
		s.at++
		s.tables++
	} else {
		s.headings++
	}
	switch {
	case s.headings > Siblings:
		return &Error{Limit: Siblings, Unit: "tables side by side"}
	case s.tables > Tables:
		return &Error{Limit: Tables, Unit: "tables"}
	}
	return nil
}

// skipString goes on behind a string, in one of the four forms.
func (s *tomlScan) skipString(quote byte) {
	long := s.at+1 < len(s.text) && s.text[s.at] == quote && s.text[s.at+1] == quote
	if long {
		s.at += 2
	}
	for run := 0; s.at < len(s.text); s.at++ {
		switch c := s.text[s.at]; {
		case c == '\\' && quote == '"':
			s.at++
			run = 0
		case c == quote:
			if run++; !long || run == 3 {
				s.at++
				for n := 0; long && n < 2 && s.at < len(s.text) && s.text[s.at] == quote; n++ {
					s.at++ // up to two more belong to what stands in it
				}
				return
			}
		case c == '\n' && !long:
			return // it is no string
		default:
			run = 0
		}
	}
}
