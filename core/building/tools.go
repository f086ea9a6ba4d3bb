package building

import (
	"context"
	"os"
	"path/filepath"
	"slices"

	"glassjar/core/apply"
	"glassjar/core/catalog"
	"glassjar/core/fetch"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/settings"
	"glassjar/core/source"
	"glassjar/core/target"
	"glassjar/core/version"
)

// chain is the key of the names that are being built, in a context.
type chain struct{}

func beingBuilt(ctx context.Context) []string {
	list, _ := ctx.Value(chain{}).([]string)
	return list
}

func withBuilt(ctx context.Context, name string) context.Context {
	return context.WithValue(ctx, chain{}, append(slices.Clone(beingBuilt(ctx)), name))
}

// environment makes a jar that nobody sees, with what a build needs in it.
func (b *Building) environment(ctx context.Context, requirements []string) (source.Environment, error) {
	var env source.Environment
	dir, gone := b.on.Temporary(filepath.Join(b.builder.Work, "environment"))
	env.Close = func() {
		os.RemoveAll(dir)
		gone()
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return env, err
	}
	env.Root = filepath.Join(dir, "jar")
	if err := b.furnish(ctx, &env, requirements); err != nil {
		env.Close()
		return env, err
	}
	return env, nil
}

func (b *Building) furnish(ctx context.Context, env *source.Environment, requirements []string) error {
	j, err := jar.Prepare(env.Root+".new", b.python, jar.Options{Prompt: "build"})
	if err != nil {
		return err
	}
	choices, c, err := b.choose(ctx, requirements)
	if err != nil {
		return err
	}
	if err := c.HashAll(ctx, choices); err != nil {
		return err
	}
	todo := plan.New(env.Root)
	todo.Create = true
	steps := todo.Compare(plan.Aim{Choices: choices, Here: c.Here, Warnings: c.Store.Warnings})
	if err := b.MakeWheels(ctx, &steps); err != nil {
		return err
	}
	release, err := b.on.Hold(ctx)
	if err != nil {
		return err
	}
	defer release()
	applier := apply.Applier{Store: b.on.Store, Placing: b.on.Placing, Report: b.on.Report, Command: "build", Now: b.on.Now, Compiling: settings.BytecodeOn}
	_, err = applier.Do(ctx, apply.Work{Plan: todo, Steps: steps, Place: place.Place{Root: env.Root}, Jar: j, Python: b.python, Catalog: c, Write: map[string][]byte{},
		Commit: func(ctx context.Context) error { return j.Commit(ctx, env.Root) }})
	if err == nil && j.Prepared() {
		err = j.Commit(ctx, env.Root)
	}
	if err != nil {
		return err
	}
	env.Python, env.Scripts = j.Path(j.Layout().Python()), j.Path(j.Layout().Scripts())
	for _, c := range choices {
		env.Pins = append(env.Pins, source.Pin{Name: c.Name, Version: c.Version.String(), File: c.File.Name, URL: fetch.Redact(c.File.URL), Index: b.addressOf(c.File.Index), SHA256: c.File.SHA256()})
	}
	return nil
}

// pinned are exactly the package files that the record says the one that is being built was
// built with, if these meet its requirements and can be had.
func (b *Building) pinned(ctx context.Context, requirements []string, env target.Environment) ([]plan.Choice, bool) {
	chain := beingBuilt(ctx)
	if len(chain) == 0 || len(b.pins[chain[len(chain)-1]]) == 0 {
		return nil, false
	}
	var out []plan.Choice
	have := map[string]version.Version{}
	for _, p := range b.pins[chain[len(chain)-1]] {
		f := plan.ToolFile(p)
		if f.Wheel == nil || p.SHA256 == "" {
			return nil, false
		}
		if _, fits := env.Ranks.Best(f.Wheel.Tags); !fits {
			return nil, false
		}
		if f.Path != "" {
			if _, err := os.Stat(f.Path); err != nil && !b.tools.Here(f) {
				return nil, false
			}
		}
		v := f.Version
		have[requirement.Normalize(p.Name)] = v
		out = append(out, plan.Choice{Name: requirement.Normalize(p.Name), Version: v, File: f})
	}
	for _, text := range requirements {
		r, err := requirement.Parse(text)
		if err != nil {
			return nil, false
		}
		if v, ok := have[r.Key()]; r.Marker.Holds(env.Markers) && (!ok || !r.Specifiers.Holds(v)) {
			return nil, false
		}
	}
	return out, true
}

// solver asks a catalog for what a build needs.
func (b *Building) solver(ctx context.Context, c *catalog.Catalog) plan.Solver {
	s := b.on.Solver(ctx, c)
	if chain := beingBuilt(ctx); len(chain) > 0 {
		s.Origin = func(project.Asked) string { return "the build of " + chain[len(chain)-1] }
	}
	return s
}

func (b *Building) addressOf(name string) string {
	if s := b.catalog.Indexes.Source(name); s != nil {
		return s.Address()
	}
	return ""
}

// choose finds what meets the requirements of a build: what the record says, as far as that
// meets them, else the newest that fit together. Wheels are tried first; where there are
// none for something, that is built.
func (b *Building) choose(ctx context.Context, requirements []string) ([]plan.Choice, *catalog.Catalog, error) {
	if len(requirements) == 0 {
		return nil, b.tools, nil
	}
	env := target.EnvironmentOf(b.python)
	if pinned, ok := b.pinned(ctx, requirements, env); ok {
		return pinned, b.tools, nil
	}
	var roots []project.Asked
	for _, text := range requirements {
		r, err := requirement.Parse(text)
		if err != nil {
			return nil, nil, err
		}
		roots = append(roots, project.Asked{Requirement: r, Text: text})
	}
	keep := map[string]version.Version{}
	for _, pins := range b.pins {
		for _, p := range pins {
			if v, err := version.Parse(p.Version); err == nil {
				keep[p.Name] = v
			}
		}
	}
	choices, _, err := b.solver(ctx, b.tools).Solve(ctx, env, roots, resolve.Problem{Keep: keep})
	if len(SourceOnly(err)) == 0 {
		return choices, b.tools, err
	}
	// One of its own: what another build asks and waits for is not waited for.
	c := b.on.Catalog(b.tools.Indexes)
	c.Sources = b
	choices, _, err = b.solver(ctx, c).Solve(ctx, env, roots, resolve.Problem{Keep: keep})
	if names := SourceOnly(err); len(names) > 0 {
		err = &NoConsentError{Names: names, Spec: b.consents.specFile(), Err: err}
	}
	return choices, c, err
}
