package main

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"glassjar/core/wheel"
)

// room measures disk space, in bytes, each file counted once however many names it
// has.
func room() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	if err := large.write(b.wheels(large)); err != nil {
		return nil, err
	}
	own := b.withHome(filepath.Join(b.dir, "room", "home"))
	if err := own.ready("room", large, "on"); err != nil {
		return nil, err
	}
	one := size(filepath.Join(b.dir, "room", ".jar"))
	for n := range 9 {
		if err := own.run("room", "clone", ".jar", fmt.Sprintf("./jar-%d", n), "-q"); err != nil {
			return nil, err
		}
	}
	ten := size(filepath.Join(b.dir, "room"))

	// A second release that changes one file of a hundred.
	before := set{"release", 1, 100, 10 << 20, 0}
	first, second := filepath.Join(b.dir, "releases-1"), filepath.Join(b.dir, "releases-2")
	if err := before.write(first); err != nil {
		return nil, err
	}
	changed, err := before.again(second)
	if err != nil {
		return nil, err
	}
	home := b.withHome(filepath.Join(b.dir, "releases", "home"))
	for _, args := range [][]string{{"settings", "bytecode", "off"}, {"index", "add", "one", first, "--project"}, {"create"}, {"install", "-q", before.dist(0)}} {
		if err := home.run("releases", args...); err != nil {
			return nil, err
		}
	}
	store := filepath.Join(home.home, "store")
	was := size(filepath.Join(store, "files"))
	for _, args := range [][]string{{"index", "add", "two", second, "--project"}, {"index", "order", "two", "one", "--project"}, {"upgrade", "-q", "--yes"}} {
		if err := home.run("releases", args...); err != nil {
			return nil, err
		}
	}
	return []work{
		{name: "disk for ten jars, large set", promise: 1.15, words: "one tree of it", bytes: ten, limitBytes: one},
		{name: "disk for a second release, 1 of 100 files changed", promise: 1.5, words: "what is not the same", bytes: size(filepath.Join(store, "files")) - was, limitBytes: changed},
	}, nil
}

// size is what a folder takes, in bytes.
func size(dir string) (sum int64) {
	seen := map[uint64]bool{}
	_ = filepath.WalkDir(dir, func(_ string, e fs.DirEntry, err error) error {
		if err != nil || !e.Type().IsRegular() {
			return nil
		}
		info, err := e.Info()
		if err != nil {
			return nil
		}
		if at, ok := inode(info); !ok || !seen[at] {
			seen[at] = ok
			sum += info.Size()
		}
		return nil
	})
	return sum
}

// again writes the second release of a set of one: one module and what names the
// version are other. It gives the bytes of these files.
func (s set) again(dir string) (changed int64, err error) {
	spec, err := s.spec(0, "2.0")
	if err != nil {
		return 0, err
	}
	last := &spec.Files[len(spec.Files)-1]
	last.Data = append(last.Data, "changed = True\n"...)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return 0, err
	}
	f, err := os.Create(filepath.Join(dir, spec.FileName()))
	if err != nil {
		return 0, err
	}
	defer f.Close()
	return int64(len(last.Data) + len(spec.Metadata)), wheel.Write(f, spec)
}
