package main

import (
	"fmt"
	"os"
	"path/filepath"
)

// filling measures making, cloning and filling jars with a set of packages; the
// limits are programs of the system that do the same to a tree of files.
//
// Nothing is removed between runs: the file system looks at each name that was
// freed within the last minute before it makes a folder, which would tell more of
// the removing than of the work.
func filling() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	if err := large.write(b.wheels(large)); err != nil {
		return nil, err
	}
	if err := b.ready("filling", large, "on"); err != nil {
		return nil, err
	}
	if err := b.ready("plain", large, "off"); err != nil {
		return nil, err
	}
	list := []work{{
		name: "recreate, warm store, large set", promise: 0.85, words: "cp -al of the finished tree", runs: mostTrees,
		ours:  b.recreate("filling"),
		limit: b.copyOf("filling", "-al"),
	}, {
		name: "recreate, warm, durable", promise: 0.85, words: "cp -al and sync -f of the finished tree", runs: mostTrees,
		ours: b.recreate("filling"),
		limit: func() error {
			copied := b.fresh("copied")
			if err := b.command("filling", "cp", "-al", ".jar", copied); err != nil {
				return err
			}
			return b.command("filling", "sync", "-f", copied)
		},
	}, {
		name: "recreate, the same without bytecode", promise: 0.85, words: "cp -al of that tree", runs: mostTrees,
		ours:  b.recreate("plain"),
		limit: b.copyOf("plain", "-al"),
	}, {
		name: "clone, large set", promise: 0.85, words: "cp -al", runs: mostTrees,
		ours:  func() error { return b.run("filling", "clone", ".jar", b.fresh("clone"), "-q") },
		limit: b.copyOf("filling", "-al"),
	}, {
		name: "install, nothing to do, large set", promise: 3, words: "a Go program that does nothing; and under 30 ms",
		ours:  often(func() error { return b.run("plain", "install", "-q", large.dist(0)) }),
		limit: often(func() error { return b.command("plain", b.nothing) }),
		times: repeated,
	}, {
		name: "recreate, nothing to do, large set", words: "find, which looks at every file too",
		ours:  func() error { return b.run("plain", "recreate", "-q") },
		limit: func() error { return b.command("plain", "find", ".jar", "-size", "-1") },
	}}
	return list, nil
}

// mostTrees is how often a row that leaves trees is run: an empty file is one for all of its kind,
// and a file system allows it so many names.
const mostTrees = 7

func (b *bed) wheels(s set) string { return filepath.Join(b.dir, "wheels-"+s.name) }

// fresh is a path that was not there before.
func (b *bed) fresh(name string) string {
	b.count++
	return filepath.Join(b.dir, fmt.Sprintf("%s-%d", name, b.count))
}

// ready makes a project with a set in its jar; bytecode is on or off.
func (b *bed) ready(in string, s set, bytecode string) error {
	for _, args := range [][]string{{"settings", "bytecode", "off"}, {"index", "add", "wheels", b.wheels(s), "--project"}, {"create"}, {"install", "-q", s.dist(0)}} {
		if err := b.run(in, args...); err != nil {
			return err
		}
	}
	if bytecode == "off" {
		return nil
	}
	return b.run(in, "store", "compile", "--quiet")
}

// recreate makes the jar of a project anew, the old one having been moved away.
func (b *bed) recreate(in string) func() error {
	bytecode := map[string]string{"filling": "background"}[in]
	if bytecode == "" {
		bytecode = "off"
	}
	return func() error {
		if err := b.run(in, "settings", "bytecode", bytecode); err != nil {
			return err
		}
		if err := os.Rename(filepath.Join(b.dir, in, ".jar"), b.fresh("old")); err != nil {
			return err
		}
		return b.timed(func() error { return b.run(in, "recreate", "-q", "--yes") })
	}
}

func (b *bed) copyOf(in, how string) func() error {
	return func() error { return b.command(in, "cp", how, ".jar", b.fresh("copied")) }
}
