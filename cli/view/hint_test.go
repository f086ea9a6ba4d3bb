package view

import "testing"

// What a hint says to do is done to the jar that was named.
func TestHintsNameTheJar(t *testing.T) {
	acts := func(command string) bool { return command == "install" || command == "contents" }
	for _, c := range []struct{ named, text, want string }{
		{"", "glassjar install NAME", "glassjar install NAME"},
		{"tools", "glassjar install NAME", "glassjar install --jar tools NAME"},
		{"a b", "see it: glassjar contents", `see it: glassjar contents --jar "a b"`},
		{"tools", "glassjar contents lists it, and glassjar search WORD finds others", "glassjar contents --jar tools lists it, and glassjar search WORD finds others"},
		{"tools", "glassjar help install", "glassjar help install"},
		{"tools", "glassjar contents --jar other", "glassjar contents --jar other"},
		{"tally.py", "glassjar install --into tally.py NAME", "glassjar install --into tally.py NAME"},
		{"tools", "the same command again", "the same command again"},
	} {
		s := &Screen{Named: func() string { return c.named }, Acts: acts}
		if got := s.hint(c.text); got != c.want {
			t.Errorf("%q of %q is %q, not %q", c.text, c.named, got, c.want)
		}
	}
}
