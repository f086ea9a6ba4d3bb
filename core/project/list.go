package project

import (
	"fmt"
	"strings"

	"glassjar/core/requirement"
	"glassjar/core/tomltext"
)

// ListError is all that is wrong in a plain list.
type ListError struct {
	File   string
	Faults []*FileError
}

func (e *ListError) Error() string { return e.Faults[0].Error() }

// ParseList reads a plain list: one dependency specifier (PEP 508) a line, with
// '#' comments, and nothing else; a byte order mark and line ends of two characters
// do not count. file is named in errors. Where some lines are something else the error
// is a [*ListError]; what is a requirement is given all the same, also where something
// follows it that is none, and left are the faults of all lines that are not taken
// whole.
func ParseList(file, text string) (asked []Asked, left []*FileError, err error) {
	text = strings.TrimPrefix(text, string(tomltext.Mark))
	for n, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		// Within an address a '#' begins a fragment; a comment stands apart.
		if i := strings.Index(" "+line, " #"); i >= 0 {
			line = strings.TrimSpace(line[:max(i-1, 0)])
		}
		if line == "" {
			continue
		}
		a, why := readLine(line)
		if why != "" {
			left = append(left, &FileError{File: file, Line: n + 1, Why: why})
		}
		if a != nil {
			a.File, a.Line = file, n+1
			asked = append(asked, *a)
		}
	}
	if len(left) > 0 {
		return asked, left, &ListError{file, left}
	}
	return asked, nil, nil
}

// readLine reads one line; why says what in it is no requirement.
func readLine(line string) (a *Asked, why string) {
	words := strings.Fields(line)
	switch {
	case strings.HasPrefix(line, "-") && len(words) == 2:
		return nil, fmt.Sprintf("%s is an option, and a plain list holds requirements only; if %s is a list too, follow it by itself", words[0], words[1])
	case strings.HasPrefix(line, "-"):
		return nil, words[0] + " is an option, and a plain list holds requirements only"
	}
	r, err := readAsked(line)
	if err == nil {
		return &Asked{Requirement: r, Text: line}, ""
	}
	why = err.Error()
	// What follows the requirement itself, such as hashes, begins with a dash or is
	// the mark of a line that goes on.
	for _, cut := range []string{" -", "\t-", " \\", "\\"} {
		i := strings.Index(line, cut)
		if i <= 0 {
			continue
		}
		if r, err := requirement.Parse(line[:i]); err == nil {
			return &Asked{Requirement: r, Text: strings.TrimSpace(line[:i])}, fmt.Sprintf("%q follows the requirement and is none", strings.TrimSpace(line[i:]))
		}
	}
	if meant := requirement.Meant(line); meant != "" {
		why += "; did you mean " + meant + "?"
	}
	return nil, why
}
