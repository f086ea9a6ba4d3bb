package view

import "strings"

// hint has the commands that a hint names act on the jar that the command line named: without that
// they would act on another. What says already whereon it acts is left as it is.
func (s *Screen) hint(text string) string {
	if s.Named == nil || !strings.Contains(text, program) {
		return text
	}
	ref := s.Named()
	if ref == "" {
		return text
	}
	ref = oneWord(ref)
	parts := strings.Split(text, program)
	for i, part := range parts[1:] {
		command := part[:len(part)-len(strings.TrimLeft(part, "abcdefghijklmnopqrstuvwxyz-"))]
		if s.Acts(command) && !saysWhereon(part, ref) {
			parts[i+1] = command + " --jar " + ref + part[len(command):]
		}
	}
	return strings.Join(parts, program)
}

// saysWhereon reports whether a command with what follows it names a jar or a script.
func saysWhereon(command, ref string) bool {
	for _, flag := range []string{"--jar ", "--into ", "--of ", " " + ref} {
		if strings.Contains(command, flag) {
			return true
		}
	}
	return false
}

// oneWord is a text as one word of a command line.
func oneWord(text string) string {
	if strings.ContainsAny(text, " &()") {
		return `"` + text + `"`
	}
	return text
}
