package main

import (
	"os"
	"path/filepath"
)

// filling measures making, cloning and filling jars with a set of packages; the
// limits are programs of the system that do the same to a tree of files.
func filling() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	wheels := filepath.Join(b.dir, "wheels-large")
	if err := large.write(wheels); err != nil {
		return nil, err
	}
	in := "filling"
	for _, args := range [][]string{{"index", "add", "wheels", wheels, "--project"}, {"create"}, {"install", "-q", large.dist(0)}} {
		if err := b.run(in, args...); err != nil {
			return nil, err
		}
	}
	tree := filepath.Join(b.dir, in, ".jar")
	gone := func(path string) error { return os.RemoveAll(filepath.Join(b.dir, path)) }
	after := func(path string, f func() error) func() error {
		return func() error {
			if err := gone(path); err != nil {
				return err
			}
			return f()
		}
	}
	return []work{{
		name: "clone a jar, large set", promise: "faster than the limit, cp -a",
		ours:  after("filling/copy", func() error { return b.run(in, "clone", ".jar", "./copy", "-q") }),
		limit: after("copied", func() error { return b.command(".", "cp", "-a", tree, filepath.Join(b.dir, "copied")) }),
	}, {
		name: "recreate a jar, warm store, large set", promise: "1.0 of the limit, cp -al",
		ours: after("filling/.jar", func() error { return b.run(in, "recreate", "-q", "--yes") }),
		limit: after("linked", func() error {
			return b.command(".", "cp", "-al", filepath.Join(b.dir, "copied"), filepath.Join(b.dir, "linked"))
		}),
	}, {
		name: "first install from a folder, empty store, large set", promise: "1.3 of the limit, unzip with a process for each processor",
		ours: func() error {
			for _, path := range []string{"first", "home/store", "home/cache/sums"} {
				if err := gone(path); err != nil {
					return err
				}
			}
			for _, args := range [][]string{{"index", "add", "wheels", wheels, "--project"}, {"create"}, {"install", "-q", large.dist(0)}} {
				if err := b.run("first", args...); err != nil {
					return err
				}
			}
			return nil
		},
		limit: after("unzipped", func() error {
			return b.command("unzipped", "sh", "-c", "ls "+wheels+"/*.whl | xargs -n 4 -P $(nproc) sh -c 'for w; do unzip -qo $w; done' unzip")
		}),
	}, {
		name: "install, nothing to do, large set", promise: "5 of the limit, a program that does nothing, and under 30 ms",
		ours:  func() error { return b.run(in, "install", "-q", large.dist(0)) },
		limit: func() error { return b.command(in, "true") },
	}, {
		name: "recreate, nothing to do, large set", promise: "it compares every file with its hash; the limit is sha256sum of the tree",
		ours: func() error { return b.run(in, "recreate", "-q") },
		limit: func() error {
			return b.command(in, "sh", "-c", "find .jar -type f -print0 | xargs -0 sha256sum >/dev/null")
		},
	}}, nil
}
