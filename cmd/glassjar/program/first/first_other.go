//go:build !linux && !darwin

// Package first has nothing to do on this system: a program cannot become another here.
package first
