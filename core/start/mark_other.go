//go:build !linux && !darwin

package start

// endings are those of a program's file.
var endings = []string{".exe", ".bat", ".cmd", ""}

// Elsewhere nothing is kept: a program there cannot become another, and has to wait for
// the command anyway.
func (m mark) now() string { return "" }
func (m mark) fresh() bool { return true }
func own(file string) bool { return false }

func contents(file string) (string, error) { return "", errNotOurs }

func isBinary(file string) bool { return false }
