package main

import "path/filepath"

// running measures what it costs to run something inside a jar.
func running() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	if err := b.run("running", "create"); err != nil {
		return nil, err
	}
	inside := filepath.Join(b.dir, "running", ".jar", "bin", "python")
	return []work{{
		name: "run python -c pass", promise: 1.15, words: "that Python itself; and under 5 ms more", times: repeated,
		ours:  often(func() error { return b.run("running", "run", "python", "-c", "pass") }),
		limit: often(func() error { return b.command("running", inside, "-c", "pass") }),
	}, {
		name: "run, a program that does nothing", words: "the program itself: what the launcher costs", times: repeated,
		ours:  often(func() error { return b.run("running", "run", b.nothing) }),
		limit: often(func() error { return b.command("running", b.nothing) }),
	}, {
		name: "create an empty jar", promise: 2, words: "a shell script that makes its folders and links",
		ours:  b.createEmpty,
		limit: b.foldersAndLinks,
	}}, nil
}

func (b *bed) createEmpty() error {
	return b.run(filepath.Base(b.fresh("created")), "create")
}

// foldersAndLinks is what a jar is made of, by a shell script.
func (b *bed) foldersAndLinks() error {
	return b.command(filepath.Base(b.fresh("folders")), "sh", "-c", "mkdir -p .jar/bin .jar/glassjar .jar/lib/python3/site-packages && cd .jar/bin && ln -s "+b.python+"/python3 python && ln -s python python3 && ln -s python python3.12")
}
