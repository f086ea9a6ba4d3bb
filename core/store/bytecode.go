package store

import (
	"context"
	"os"
	"path/filepath"

	"glassjar/core/lock"
)

// Bytecode stands in a folder of its own for each kind of interpreter, whose name
// is python here, by the hash of its source: a source's time is taken from that
// hash too ([Stamp]), so that the bytecode, which notes it, serves every jar.

// HasBytecode reports whether anything was compiled for an interpreter.
func (s *Store) HasBytecode(python string) bool {
	_, err := os.Stat(filepath.Join(s.Dir, "bytecode", python))
	return err == nil
}

// BytecodePath is where the bytecode of a source stands, once it is there.
func (s *Store) BytecodePath(python, sum string) string {
	return filepath.Join(s.Dir, "bytecode", python, sum[:2], sum)
}

// uncompiled marks a source of which the interpreter can make nothing.
func (s *Store) uncompiled(python, sum string) string {
	return s.BytecodePath(python, sum) + "-none"
}

// Uncompilable notes that an interpreter can make nothing of a source, so that it
// is not tried again.
func (s *Store) Uncompilable(python, sum string) error {
	file := s.uncompiled(python, sum)
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return err
	}
	if err := os.WriteFile(file, nil, 0o644); err != nil {
		return err
	}
	return os.Chtimes(file, Stamp(sum), Stamp(sum))
}

// ToCompile are those of the sources for which there is no bytecode yet, each
// once, by the paths of their contents.
func (s *Store) ToCompile(python string, t *Tree, isSource func(Member) bool) map[string]string {
	out := map[string]string{}
	for _, m := range t.Members {
		if !isSource(m) {
			continue
		}
		if _, err := os.Lstat(s.BytecodePath(python, m.SHA256)); err == nil {
			continue
		}
		if _, err := os.Lstat(s.uncompiled(python, m.SHA256)); err == nil {
			continue
		}
		out[m.SHA256] = t.Path(m)
	}
	return out
}

// BeginBytecode gives a folder in which bytecode is written before it gets its
// place, and what to call in the end.
func (s *Store) BeginBytecode() (dir string, done func(), err error) {
	if dir, done, err = begin(filepath.Join(s.Dir, "bytecode")); err != nil {
		return "", nil, err
	}
	if err := os.Mkdir(dir, 0o777); err != nil {
		done()
		return "", nil, err
	}
	return dir, done, nil
}

// OnlyCompiler waits until no other process compiles for an interpreter, so that
// nothing is compiled twice.
func (s *Store) OnlyCompiler(ctx context.Context, python string, mode lock.Mode) (release func(), err error) {
	held, err := lock.Take(ctx, filepath.Join(s.Dir, "bytecode", python, lockFile), mode)
	if err != nil {
		return nil, err
	}
	return held.Release, nil
}
