//go:build !windows

package operation

// parentShell is not asked for: the user's shell is a variable.
func parentShell() string { return "" }
