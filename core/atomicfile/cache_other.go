//go:build !linux

package atomicfile

func begin(path string) (*Cached, error) { return besides(path) }

func (c *Cached) link() error { return c.copied() }
