//go:build !windows && !darwin

package interpreter

// registered has none: there is no registry.
func registered() []string { return nil }

// opensWindow has none: programs are programs.
func opensWindow(string) bool { return false }
