//go:build !windowed

package main

// windowed tells that this one opens no console, nor what it starts.
const windowed = false
