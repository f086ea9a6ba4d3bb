package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"glassjar/core/interpreter"
	"glassjar/core/source"
)

// modules is how many the project has that is built.
const modules = 500

// building measures what it costs to make a wheel of source, with the sample's own back
// end: a pure package of 500 modules.
func building() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	if err := b.run("building", "create"); err != nil {
		return nil, err
	}
	if err := b.run("building", "install", "orchard-mill"); err != nil {
		return nil, err
	}
	if err := b.project("project"); err != nil {
		return nil, err
	}
	python := filepath.Join(b.dir, "building", ".jar", "bin", "python")
	out := b.fresh("out")
	if err := os.MkdirAll(out, 0o755); err != nil {
		return nil, err
	}
	direct := func(hook string) func() error {
		return func() error {
			return b.command("project", python, "-c", fmt.Sprintf("import orchard_mill; orchard_mill.%s(%q)", hook, out))
		}
	}
	// A folder is built from a copy, which is work as well.
	copied := func() error {
		in := b.fresh("copied")
		defer os.RemoveAll(in)
		return b.timed(func() error {
			if err := b.command(".", "cp", "-a", filepath.Join(b.dir, "project"), in); err != nil {
				return err
			}
			return b.command(filepath.Base(in), python, "-c", fmt.Sprintf("import orchard_mill; orchard_mill.build_wheel(%q)", out))
		})
	}
	built := func(open bool) func() error { return func() error { return b.wheel(python, open) } }
	for _, in := range []string{"of-source", "of-wheel"} {
		if err := b.holds(in, out, direct("build_wheel")); err != nil {
			return nil, err
		}
	}
	return []work{{
		name: "build a pure package", promise: 1.5, words: "`cp -a`, and its back end run there directly",
		ours: built(false), limit: copied,
	}, {
		name: "the same outside of the room", words: "the same: what is left is the room's cost",
		ours: built(true), limit: copied,
	}, {
		name: "second install of a built wheel", promise: 1.1, words: "the same of a wheel",
		ours: b.recreate("of-source"), limit: b.recreate("of-wheel"),
	}, {
		name: "install a project of 500 modules, editable", words: "its back end, run directly",
		ours: func() error {
			in := b.fresh("editable")
			if err := b.run(filepath.Base(in), "create"); err != nil {
				return err
			}
			if err := b.touch("project"); err != nil { // else it is there already
				return err
			}
			return b.timed(func() error {
				return b.run(filepath.Base(in), "install", "--editable", filepath.Join(b.dir, "project"), "--build", "press-house")
			})
		}, limit: direct("build_editable"),
	}}, nil
}

// project writes the source of a package.
func (b *bed) project(in string) error {
	dir := filepath.Join(b.dir, in)
	if err := os.MkdirAll(filepath.Join(dir, "press_house"), 0o755); err != nil {
		return err
	}
	text := "[build-system]\nrequires = [\"orchard-mill\"]\nbuild-backend = \"orchard_mill\"\n[project]\nname = \"press-house\"\nversion = \"1.0\"\n"
	if err := os.WriteFile(filepath.Join(dir, "pyproject.toml"), []byte(text), 0o644); err != nil {
		return err
	}
	for i := range modules {
		body := fmt.Sprintf("\"\"\"Cask %d.\"\"\"\n\n\ndef litres(year):\n    return %d + year %% 7\n", i, 100+i)
		if err := os.WriteFile(filepath.Join(dir, "press_house", fmt.Sprintf("cask%03d.py", i)), []byte(body), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// touch changes what describes the project.
func (b *bed) touch(in string) error {
	file := filepath.Join(b.dir, in, "pyproject.toml")
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(text, '#', '\n'), 0o644)
}

// wheel builds the project, in an environment that is there already.
func (b *bed) wheel(python string, open bool) error {
	in, err := interpreter.Probe(context.Background(), python, time.Minute)
	if err != nil {
		return err
	}
	jar := filepath.Dir(filepath.Dir(python))
	builder := &source.Builder{Python: in, Work: filepath.Join(b.dir, "builds"), Home: filepath.Join(b.dir, "home"), Environment: func(context.Context, []string) (source.Environment, error) {
		return source.Environment{Root: jar, Python: python, Scripts: filepath.Dir(python)}, nil
	}}
	return b.timed(func() error {
		w, err := builder.Wheel(context.Background(), source.Source{Name: "press-house", Folder: filepath.Join(b.dir, "project"), Options: source.Options{Open: open}})
		if err == nil {
			w.Close()
		}
		return err
	})
}

// holds makes a jar that holds the project: of its source, or of a wheel.
func (b *bed) holds(in, out string, make func() error) error {
	if err := b.run(in, "create"); err != nil {
		return err
	}
	if in == "of-source" {
		archive := filepath.Join(b.dir, "press_house-1.0.tar.gz")
		if err := b.command(".", "tar", "-czf", archive, "project"); err != nil {
			return err
		}
		return b.run(in, "install", archive, "--build", "press-house")
	}
	if err := make(); err != nil {
		return err
	}
	return b.run(in, "install", filepath.Join(out, "press_house-1.0-py3-none-any.whl"))
}
