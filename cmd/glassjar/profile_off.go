//go:build !profile

package main

// profile does nothing in the program as it ships.
func profile() (stop func()) { return func() {} }
