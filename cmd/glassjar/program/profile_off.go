//go:build !profile

package program

// profile does nothing in the program as it ships.
func profile() (stop func()) { return func() {} }
