//go:build !linux

package durable

import "errors"

// Only Linux flushes one file system; elsewhere files are flushed one by one.
const wholeAtOnce = false

// Begin does nothing here.
func Begin(int) {}

// Disk is the file system of a folder; there is nothing to be watched here.
type Disk struct{}

// Open begins to watch the file system of a folder.
func Open(string) (*Disk, error) { return &Disk{}, nil }

// Flush is not to be had here.
func (*Disk) Flush() error { return errors.ErrUnsupported }

// Close ends watching. It may be called for nil.
func (*Disk) Close() {}
