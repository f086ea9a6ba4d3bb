package main

import (
	"fmt"
	"os"
	"path/filepath"
)

// manyJars is how many are on the shelf when it is looked at.
const manyJars = 500

// many measures looking: at many jars, at many files, and what a shell asks for while a person
// types.
func many() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	if err := large.write(b.wheels(large)); err != nil {
		return nil, err
	}
	for _, in := range []string{"checked", "other"} {
		if err := b.ready(in, large, "off"); err != nil {
			return nil, err
		}
	}
	if err := b.run("other", "uninstall", "-q", "--yes", large.dist(0)); err != nil {
		return nil, err
	}
	for n := range manyJars {
		if err := b.run("shelf", "create", "-q", fmt.Sprintf("orchard-%d", n)); err != nil {
			return nil, err
		}
	}
	other := filepath.Join(b.dir, "other", ".jar")
	if err := os.MkdirAll(filepath.Join(b.dir, "typing"), 0o755); err != nil {
		return nil, err
	}
	return []work{{
		name: fmt.Sprintf("shelf, %d jars", manyJars), words: "find, which looks at every file of them too",
		ours:  func() error { return b.run("shelf", "shelf") },
		limit: func() error { return b.command("shelf", "find", filepath.Join(b.dir, "home"), "-size", "-1") },
	}, {
		name: "check, large set", promise: 1.1, words: "sha256sum of its files, one for each processor",
		ours: func() error { return b.run("checked", "check") },
		limit: func() error {
			return b.command("checked", "sh", "-c", "find .jar -type f | xargs -n 500 -P $(nproc) sha256sum >../sums")
		},
	}, {
		name: "diff of two jars, large set", words: "under 100 ms",
		ours: func() error {
			return b.command("checked", "sh", "-c", b.program+" diff .jar "+other+"; test $? -le 1") // 1 says that they differ
		},
	}, {
		name: "completion of a name", words: "under 30 ms", times: repeated,
		ours: often(func() error { return b.run("typing", "__complete", "run", "--jar", "orchard-4") }),
	}}, nil
}
