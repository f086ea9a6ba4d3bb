package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// importing measures the time until the first import in a jar is done, for each
// time at which modules can be compiled.
func importing() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	var list []work
	for _, s := range []set{toy, web, large} {
		if err := s.write(b.wheels(s)); err != nil {
			return nil, err
		}
		for _, way := range []string{"off", "background", "on"} {
			w := work{name: fmt.Sprintf("install and first imports, %s set, bytecode %s", s.name, way), words: "", runs: 3,
				ours: b.first(s, way, b.wheels(s), func(in string) error { return b.imports(filepath.Join(in, ".jar"), s) }), after: b.settle}
			list = append(list, w)
		}
	}
	if err := b.ready("importing", large, "on"); err != nil {
		return nil, err
	}
	if err := b.run("importing", "settings", "bytecode", "background"); err != nil {
		return nil, err
	}
	return append(list, work{
		name: "first imports in the second jar, large set", promise: 1.1, words: "the same imports in the first jar, warm; linking may come on top",
		ours: func() error {
			to := b.fresh("second")
			if err := b.run("importing", "clone", ".jar", to, "-q"); err != nil {
				return err
			}
			return b.timed(func() error { return b.imports(to, large) })
		},
		limit: func() error { return b.imports("importing/.jar", large) },
	}), nil
}

// imports imports up to ten distributions of a set.
func (b *bed) imports(jar string, s set) error {
	if !filepath.IsAbs(jar) {
		jar = filepath.Join(b.dir, jar)
	}
	var names []string
	for n := range min(10, s.distributions) {
		names = append(names, strings.ReplaceAll(s.dist(n), "-", "_"))
	}
	return b.command(".", filepath.Join(jar, "bin", "python"), "-c", "import "+strings.Join(names, ", "))
}

// settle waits until what goes on in the background is done: it would disturb what
// is measured next.
func (b *bed) settle() error {
	homes, _ := filepath.Glob(filepath.Join(b.dir, "*", "home"))
	for _, home := range homes {
		own := b.withHome(home)
		if _, err := os.Stat(filepath.Join(home, "store", "bytecode")); err == nil {
			if err := own.run(filepath.Base(filepath.Dir(home)), "store", "compile", "--quiet"); err != nil {
				return err
			}
		}
	}
	return nil
}
