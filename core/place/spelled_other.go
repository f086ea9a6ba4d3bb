//go:build !darwin && !windows

package place

// spelled is the path: names that differ in letter case are names of different files.
func spelled(path string) string { return path }
