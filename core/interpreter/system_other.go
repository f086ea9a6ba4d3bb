//go:build !windows && !darwin

package interpreter

// registered has none: there is no registry.
func registered() []string { return nil }

// storeStub has none: programs are programs.
func storeStub(string) bool { return false }
