package project

import (
	"strings"

	"glassjar/core/requirement"
)

// ParseList reads a plain list: one dependency specifier (PEP 508) a line, with
// '#' comments, and nothing else. file is named in errors, which are a
// [*FileError].
func ParseList(file, text string) ([]Asked, error) {
	var out []Asked
	for n, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		// Within an address a '#' begins a fragment; a comment stands apart.
		if i := strings.Index(" "+line, " #"); i >= 0 {
			line = strings.TrimSpace(line[:max(i-1, 0)])
		}
		if line == "" {
			continue
		}
		if strings.HasPrefix(line, "-") {
			return nil, &FileError{File: file, Line: n + 1, Why: "a plain list holds requirements only, and " + strings.Fields(line)[0] + " is an option",
				Try: "remove the line, or say it with a setting of this program"}
		}
		r, err := requirement.Parse(line)
		if err != nil {
			return nil, &FileError{File: file, Line: n + 1, Why: err.Error()}
		}
		out = append(out, Asked{Requirement: r, Text: line, File: file, Line: n + 1})
	}
	return out, nil
}
