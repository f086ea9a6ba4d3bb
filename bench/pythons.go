package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/digest"
)

// pythons measures what it costs to fetch a Python: one that the store has unpacked, and one
// out of an archive of this machine.
func pythons() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	for _, line := range []string{"pythons pack 3 --to packed", "index add packed packed --holds pythons", "pythons fetch 3"} {
		if err := b.run(".", strings.Fields(line)...); err != nil {
			return nil, err
		}
	}
	found, err := filepath.Glob(filepath.Join(b.dir, "home", "store", "pythons", "*", "bin"))
	if err != nil || len(found) != 1 {
		return nil, fmt.Errorf("%d Pythons were fetched, and not one: %v", len(found), err)
	}
	tree := filepath.Dir(found[0])
	version := strings.Split(filepath.Base(tree), "-")[1]
	copied := filepath.Join(b.dir, "copied-python")
	if err := b.command(".", "cp", "-a", tree, copied); err != nil {
		return nil, err
	}
	file := filepath.Join(b.dir, "cpython-"+version+"-x86_64-unknown-linux-gnu.tar.gz")
	if err := b.command(".", "tar", "czf", file, "--exclude=__pycache__", "-C", filepath.Dir(tree), filepath.Base(tree)); err != nil {
		return nil, err
	}
	sum, err := digest.OfFile(context.Background(), file)
	if err != nil {
		return nil, err
	}
	drop := func() error { return b.run(".", "pythons", "drop", "--unused") }
	return []work{{
		name: "fetch a Python that the store has", promise: 1.3, words: "cp -al of its tree; it is started and flushed besides",
		ours: func() error {
			if err := drop(); err != nil {
				return err
			}
			return b.timed(func() error { return b.run(".", "pythons", "fetch", version) })
		},
		limit: func() error {
			to := b.fresh("linked")
			defer os.RemoveAll(to)
			return b.timed(func() error { return b.command(".", "cp", "-al", copied, to) })
		},
	}, {
		name: "fetch a Python from an archive", promise: 1.1, words: "tar x, and sha256sum of the archive and of its files by two processes",
		ours: func() error {
			if err := drop(); err != nil {
				return err
			}
			if err := b.run(".", "store", "tidy"); err != nil {
				return err
			}
			return b.timed(func() error {
				return b.command(".", "env", "PYTHONDONTWRITEBYTECODE=1", b.program, "pythons", "fetch", file, "--sha256", sum)
			})
		},
		limit: func() error {
			to := b.fresh("unpacked")
			defer os.RemoveAll(to)
			script := "mkdir " + to + "; sha256sum " + file + " >/dev/null & tar xzf " + file + " -C " + to + "; wait; find " + to + " -type f -print0 | xargs -0 -n 200 -P 2 sha256sum >/dev/null"
			return b.timed(func() error { return b.command(".", "sh", "-c", script) })
		},
	}}, nil
}
