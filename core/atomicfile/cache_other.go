//go:build !linux

package atomicfile

func cache(path string, data ...[]byte) error { return besides(path, data...) }
