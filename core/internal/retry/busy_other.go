//go:build !windows

package retry

// WhileBusy does something to a file, once: what other programs have open is in nobody's way.
func WhileBusy(do func() error) error { return do() }
