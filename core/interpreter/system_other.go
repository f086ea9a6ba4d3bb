//go:build !windows && !darwin

package interpreter

// registered has none: there is no registry.
func registered() []string { return nil }

// standIn has none: programs are programs.
func standIn(string) bool { return false }
