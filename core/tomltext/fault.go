package tomltext

import (
	"errors"
	"fmt"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/internal/lazy"
)

// Fault is what is wrong with a TOML text.
type Fault struct {
	// Line and Column count from 1; 0 where they are not known.
	Line, Column int
	// Key is what has the wrong kind of value, with dots between its parts; empty where the text
	// is not TOML.
	Key string
	// Why says what is wrong.
	Why string
}

func (f Fault) String() string {
	text := f.Why
	if f.Key != "" {
		text = f.Key + ": " + text
	}
	if f.Line > 0 {
		text = fmt.Sprintf("line %d: %s", f.Line, text)
	}
	return text
}

// FaultOf is what the library's decoder found. It speaks of this program's types; the user knows
// keys and values.
func FaultOf(err error) Fault {
	var d *toml.DecodeError
	if !errors.As(err, &d) {
		return Fault{Why: strings.TrimPrefix(err.Error(), "toml: ")}
	}
	f := Fault{Why: strings.TrimPrefix(d.Error(), "toml: ")}
	f.Line, f.Column = d.Position()
	m := wrongKind().FindStringSubmatch(f.Why)
	if m == nil {
		f.Why = "it is not TOML: " + f.Why
		return f
	}
	f.Key = strings.Join(d.Key(), ".")
	f.Why = "it is " + kindOf(m[1])
	if wanted := wantedKind(m[2]); wanted != "" {
		f.Why += ", and should be " + wanted
	}
	return f
}

var wrongKind = lazy.Pattern(`^cannot (?:decode|store) (?:TOML |an? )?(.*?) (?:in|into) (?:an? )?(?:struct field .* of type )?(\S.*)$`)

// kindOf is a kind of TOML in the user's words.
func kindOf(kind string) string {
	switch kind {
	case "string":
		return "a text"
	case "integer", "float":
		return "a number"
	case "boolean":
		return "true or false"
	case "array":
		return "a list"
	case "array table":
		return "a list of tables, [[...]]"
	case "table", "inline table":
		return "a table"
	}
	return "a time" // one of its four kinds of those
}

// wantedKind is what a value is read into, in the user's words; empty where that has none.
func wantedKind(of string) string {
	of = strings.TrimPrefix(of, "*")
	switch {
	case of == "string":
		return "a text"
	case of == "bool":
		return "true or false"
	case strings.HasPrefix(of, "int"), strings.HasPrefix(of, "uint"), strings.HasPrefix(of, "float"):
		return "a number"
	case of == "[]string":
		return "a list of texts"
	case strings.HasPrefix(of, "[]"), of == "slice":
		return "a list"
	case strings.HasPrefix(of, "map"), strings.HasPrefix(of, "struct"), strings.Contains(of, "."):
		return "a table"
	}
	return ""
}
