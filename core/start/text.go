package start

import "strconv"

// text is a Start as it is kept: a line for each thing, its parts as Go's quoted texts,
// which have neither spaces' nor line ends' meaning in them.
func (s *Start) text() string {
	t := line(format)
	t += line("dir", s.Dir) + line("variables", s.variables)
	t += line("jar", s.Inside.Jar, s.Inside.Bin, s.Inside.Prompt, s.Python)
	t += line("script", strconv.FormatBool(s.Script))
	t += line("sealed", strconv.FormatBool(s.Inside.SealedOff))
	for _, dir := range s.Inside.Libraries {
		t += line("library", dir)
	}
	return t + s.lines() + line("end")
}

func line(parts ...string) (t string) {
	for i, p := range parts {
		if i > 0 {
			t += " "
		}
		t += strconv.Quote(p)
	}
	return t + "\n"
}

// parse reads that; it reports whether it is whole.
func (s *Start) parse(text string) bool {
	return parseLines(text, format, func(p []string) bool {
		switch {
		case len(p) == 2 && p[0] == "dir":
			s.Dir = p[1]
		case len(p) == 2 && p[0] == "variables":
			s.variables = p[1]
		case len(p) == 5 && p[0] == "jar":
			s.Inside.Jar, s.Inside.Bin, s.Inside.Prompt, s.Python = p[1], p[2], p[3], p[4]
		case len(p) == 2 && p[0] == "script":
			s.Script = p[1] == "true"
		case len(p) == 2 && p[0] == "sealed":
			s.Inside.SealedOff = p[1] == "true"
		case len(p) == 2 && p[0] == "library":
			s.Inside.Libraries = append(s.Inside.Libraries, p[1])
		default:
			return s.take(p)
		}
		return true
	})
}

// parseLines gives the parts of each line between the first, which is the format's, and the
// last; it reports whether the text is whole.
func parseLines(text, format string, take func(p []string) bool) bool {
	first, whole := true, false
	for len(text) > 0 {
		var p []string
		for len(text) > 0 && text[0] != '\n' {
			if text[0] == ' ' {
				text = text[1:]
			}
			quoted, err := strconv.QuotedPrefix(text)
			if err != nil {
				return false
			}
			part, err := strconv.Unquote(quoted)
			if err != nil {
				return false
			}
			p, text = append(p, part), text[len(quoted):]
		}
		if len(text) == 0 || len(p) == 0 || whole || first && (len(p) != 1 || p[0] != format) {
			return false
		}
		text = text[1:]
		switch {
		case first:
			first = false
		case len(p) == 1 && p[0] == "end":
			whole = true
		case !take(p):
			return false
		}
	}
	return whole
}
