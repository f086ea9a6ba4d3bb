package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// heldJars is how many jars are asked whether they hold something.
const heldJars = 500

// scripts measures what is run without a jar of its own being made first, and what is asked of all jars.
func scripts() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	if err := b.run("script", "create"); err != nil {
		return nil, err
	}
	tally := filepath.Join(b.dir, "script", "tally.py")
	text := "# /// script\n# dependencies = [\"brixmeter\"]\n# ///\nimport brixmeter\n"
	if err := os.WriteFile(tally, []byte(text), 0o644); err != nil {
		return nil, err
	}
	if err := b.run("script", "run", tally); err != nil {
		return nil, err
	}
	found, err := filepath.Glob(filepath.Join(b.dir, "home", "scripts", "*", "bin", "python"))
	if err != nil || len(found) != 1 {
		return nil, fmt.Errorf("the script's jar is not where it was looked for: %d found, %w", len(found), err)
	}
	if err := web.write(b.wheels(web)); err != nil {
		return nil, err
	}
	if err := b.ready("under", web, "on"); err != nil {
		return nil, err
	}
	under, err := os.Readlink(filepath.Join(b.dir, "under", ".jar", "bin", "python"))
	if err != nil {
		return nil, err
	}
	for n := range heldJars {
		name := fmt.Sprintf("held-%d", n)
		if err := b.run("held", "create", "-q", name); err != nil {
			return nil, err
		}
		// What is looked at is only what the folders are called.
		sites, err := filepath.Glob(filepath.Join(b.dir, "home", "shelf", name, "lib", "*", "site-packages"))
		if err != nil || len(sites) != 1 {
			return nil, fmt.Errorf("%s has no site folder", name)
		}
		for i := range web.distributions {
			if err := os.Mkdir(filepath.Join(sites[0], strings.ReplaceAll(web.dist(i), "-", "_")+"-1.0.dist-info"), 0o755); err != nil {
				return nil, err
			}
		}
	}
	return []work{{
		name: "run of a script, the second time", promise: 1.3, words: "the Python of its jar on the same script", times: repeated,
		ours:  often(func() error { return b.run("script", "run", tally) }),
		limit: often(func() error { return b.command("script", found[0], tally) }),
	}, {
		name: "run --under one Python, small set", promise: 1.5, words: "cp -al of its jar, that Python, and rm -r",
		ours: func() error { return b.run("under", "run", "--under", under, "--", "python", "-c", "pass") },
		limit: func() error {
			return b.command("under", "sh", "-c", "cp -al .jar once && .jar/bin/python -c pass && rm -r once")
		},
	}, {
		name: fmt.Sprintf("shelf --holding, %d jars", heldJars), words: "find, which looks for it in the same folders; and under half a second",
		ours: func() error {
			return b.command("held", "sh", "-c", b.program+" shelf --holding '"+web.dist(0)+"<99' >/dev/null")
		},
		limit: func() error {
			return b.command("held", "sh", "-c", "find "+filepath.Join(b.dir, "home", "shelf")+" -maxdepth 5 -name '"+strings.ReplaceAll(web.dist(0), "-", "_")+"-*.dist-info' >/dev/null")
		},
	}}, nil
}
