package project

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"glassjar/core/requirement"
)

// Part is a piece of a spec that can be installed by itself: a dependency group (PEP
// 735), an extra of the project or, with neither, its dependencies. The names of a part
// that was read are in normal form.
type Part struct{ Group, Extra string }

// Normal is the part with its names in normal form.
func (p Part) Normal() Part {
	return Part{requirement.Normalize(p.Group), requirement.Normalize(p.Extra)}
}

// String is "group NAME", "extra NAME" or "dependencies".
func (p Part) String() string {
	if name := p.named(); name != "" {
		return name
	}
	return "dependencies"
}

// named is the part as the lists of a record write it: nothing for dependencies.
func (p Part) named() string {
	switch {
	case p.Group != "":
		return "group " + p.Group
	case p.Extra != "":
		return "extra " + p.Extra
	}
	return ""
}

// MarshalText is "group NAME", "extra NAME" or empty.
func (p Part) MarshalText() ([]byte, error) { return []byte(p.named()), nil }

// Compare orders parts: the dependencies, then extras and groups by their names.
func (p Part) Compare(q Part) int {
	return cmp.Or(cmp.Compare(p.Group+p.Extra, q.Group+q.Extra), cmp.Compare(p.Group, q.Group))
}

// Condition is the part as the marker of a record's entry has it (PEP 751); empty for
// the dependencies.
func (p Part) Condition() string {
	switch {
	case p.Group != "":
		return fmt.Sprintf("%q in dependency_groups", p.Group)
	case p.Extra != "":
		return fmt.Sprintf("%q in extras", p.Extra)
	}
	return ""
}

// Asks writes a requirement of the part as a record lists what was asked for: "group
// tests: press>=1".
func (p Part) Asks(requirement string) string {
	if name := p.named(); name != "" {
		return name + ": " + requirement
	}
	return requirement
}

// ReadAsks reads what [Part.Asks] writes.
func ReadAsks(text string) (p Part, requirement string) {
	kind, rest, ok := strings.Cut(text, ": ")
	if name, group := strings.CutPrefix(kind, "group "); ok && group {
		return Part{Group: name}, rest
	}
	if name, extra := strings.CutPrefix(kind, "extra "); ok && extra {
		return Part{Extra: name}, rest
	}
	return Part{}, text
}

// Asks are the requirements as a record lists them.
func Asks(list []Asked) []string {
	var out []string
	for _, a := range list {
		out = append(out, a.Part.Asks(a.Written()))
	}
	return out
}

// Parts are the pieces of a spec that a jar holds: the dependencies, unless Only is set,
// and the groups and extras named, in normal form, sorted.
type Parts struct {
	Groups []string `json:"groups,omitempty"`
	Extras []string `json:"extras,omitempty"`
	Only   bool     `json:"only,omitempty"`
}

// Has reports whether a part is among them.
func (p Parts) Has(part Part) bool {
	switch {
	case part.Group != "":
		return slices.Contains(p.Groups, part.Group)
	case part.Extra != "":
		return slices.Contains(p.Extras, part.Extra)
	}
	return !p.Only
}

// With adds groups and extras.
func (p Parts) With(groups, extras []string) Parts {
	add := func(have, more []string) []string {
		out := append(slices.Clone(have), more...)
		slices.Sort(out)
		return slices.Compact(out)
	}
	return Parts{add(p.Groups, groups), add(p.Extras, extras), p.Only}
}

// WithPart adds a part.
func (p Parts) WithPart(part Part) Parts {
	switch {
	case part.Group != "":
		return p.With([]string{part.Group}, nil)
	case part.Extra != "":
		return p.With(nil, []string{part.Extra})
	}
	return p
}

// Equal reports whether both are the same.
func (p Parts) Equal(q Parts) bool {
	return slices.Equal(p.Groups, q.Groups) && slices.Equal(p.Extras, q.Extras) && p.Only == q.Only
}
